import { isReadByAll } from '../access/open.ts';
import type { Expression } from '../model/expression.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Computed, Model, ViewMember } from '../model/model.ts';
import { derivedNames, linkedOf, linksShownAs, stepCalled } from '../model/related.ts';
import type { Links, Step, Via } from '../model/relation.ts';

/** What an answer shows of a record, in the order of its JSON. */
export type Projection = readonly ProjectedMember[];

export type ProjectedMember = {
  readonly name: string;
  /** Where it isn't true of the record, the member is left out. */
  readonly when?: Expression | undefined;
} &
  /** `inside` are the only parts of an object that are shown; `value` is what is shown in a field's place. */
  (
    | {
        readonly kind: 'field';
        readonly field: Field;
        readonly inside?: readonly ViewMember[];
        readonly value?: Expression;
      }
    | { readonly kind: 'computed'; readonly computed: Computed }
    /** The keys of the records that a many-to-many relation leads to. */
    | { readonly kind: 'keys'; readonly links: Links; readonly guard?: Expression | undefined }
    /** A related record, or null. */
    | {
        readonly kind: 'one';
        readonly step: Step;
        readonly target: string;
        readonly projection: Projection;
        readonly guard?: Expression | undefined;
      }
    /** The first of many related records, and whether there are more. */
    | {
        readonly kind: 'many';
        readonly via: Via;
        readonly target: string;
        readonly projection: Projection;
        readonly guard?: Expression | undefined;
      }
    /** The names of what the caller may do with the record. */
    | { readonly kind: 'may'; readonly acts: readonly AllowedAct[] }
  );

/** Something that may be done with a record, where a condition is true of it; without one, with every record. */
export interface AllowedAct {
  readonly name: string;
  readonly when?: Expression | undefined;
}

/** The most records of a relation to many that are shown with a record. */
export const MOST_RELATED = 20;

/** A view of a model. */
export const viewOf = (graph: Graph, model: Model, view: string): Projection =>
  membersOf(graph, model, model.views.get(view)!);

/** The default view of a model. */
export const wholeOf = (graph: Graph, model: Model): Projection => viewOf(graph, model, 'default');

export const projectedField = (field: Field): ProjectedMember => ({ kind: 'field', name: field.member, field });

const membersOf = (graph: Graph, model: Model, members: readonly ViewMember[]): Projection =>
  members.map(({ name, inside }): ProjectedMember => {
    const own = ownMember(model, name);
    if (own !== undefined) return inside !== undefined && own.kind === 'field' ? { ...own, inside } : own;
    const { step, target } = stepCalled(model, name)!;
    return { kind: 'one', name, step, target, projection: membersOf(graph, modelOf(graph, target), inside ?? []) };
  });

/** A member of a record that is no other record; undefined where there is none of this name that may be shown. */
export function ownMember(model: Model, name: string): ProjectedMember | undefined {
  const field = model.shownByMember.get(name);
  if (field !== undefined) return projectedField(field);
  const computed = model.computed.find(({ member }) => member === name);
  if (computed !== undefined) return { kind: 'computed', name, computed };
  const links = linksShownAs(model, name);
  return links && { kind: 'keys', name, links };
}

/** All that is stored of a record: its row, and the keys that it is linked with. */
export const storedOf = (model: Model): Projection => [
  ...model.fields.map(projectedField),
  ...linkedOf(model).map((links): ProjectedMember => ({ kind: 'keys', name: links.member, links })),
];

/** All that `derivedNames` names. */
export const derivedOf = (graph: Graph, model: Model): Projection => {
  const whole = wholeOf(graph, model);
  return derivedNames(model).map((name) => whole.find((member) => member.name === name) ?? ownMember(model, name)!);
};

/** Whether everybody who reads a model's records sees all that is stored of them, in the same words. */
export const isOpen = (graph: Graph, model: Model): boolean =>
  model.access.fields.size === 0 &&
  [...model.relations, ...model.links].every(({ target }) => isReadByAll(modelOf(graph, target))) &&
  nameOf(wholeOf(graph, model)) === nameOf(storedOf(model));

/** Whether everything shown is in the record's own row, for every viewer. */
export const isStored = (projection: Projection): boolean =>
  projection.every((member) => member.kind === 'field' && member.value === undefined && member.when === undefined);

/** How many records one record may bring along at most, itself among them. */
export const mostRecords = (projection: Projection): number =>
  projection.reduce((sum, member) => {
    if (member.kind === 'one') return sum + mostRecords(member.projection);
    return member.kind === 'many' ? sum + MOST_RELATED * mostRecords(member.projection) : sum;
  }, 1);

/**
 * How much of the depth of statements that databases read goes along a relation to one record, and along one to many;
 * and how much may be used up.
 */
export const DEPTH_OF = { one: 2, many: 3 } as const;
export const MOST_DEPTH = 9;

/** How deep records are nested. */
export const depthOf = (projection: Projection): number =>
  Math.max(
    0,
    ...projection.map((member) =>
      member.kind === 'one' || member.kind === 'many' ? DEPTH_OF[member.kind] + depthOf(member.projection) : 0,
    ),
  );

/** A text that two answers share where they show the same. */
export const nameOf = (projection: Projection): string =>
  projection
    .map((member): string => {
      if (member.kind === 'one' || member.kind === 'many') return `${member.name}(${nameOf(member.projection)})`;
      return member.kind === 'field' && member.inside ? member.name + partsName(member.inside) : member.name;
    })
    .join();

const partsName = (parts: readonly ViewMember[]): string =>
  `{${parts.map(({ name, inside }) => name + (inside ? partsName(inside) : '')).join()}}`;
