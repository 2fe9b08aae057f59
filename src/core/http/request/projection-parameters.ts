import { actsOnRecords, expressionOf } from '../../access/condition.ts';
import { hides } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { ProjectionParameters } from '../../api/parameters.ts';
import type { ParameterFailure } from '../../api/problems.ts';
import type { ValueSpec } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model, ViewMember } from '../../model/model.ts';
import { ownNames, relatedNames, stepCalled, viaCalled } from '../../model/related.ts';
import { maskProjection } from '../../query/mask-projection.ts';
import { depthOf, MOST_DEPTH, mostRecords, ownMember, viewOf, wholeOf } from '../../query/projection.ts';
import type { AllowedAct, ProjectedMember, Projection } from '../../query/projection.ts';
import { didYouMean } from '../../text/nearest.ts';
import { readFlag } from './query.ts';

/** Reads them. `records` is the number of records that are shown at most. */
export type ProjectionReader = (
  given: ProjectionParameters,
  records: number,
  failures: ParameterFailure[],
) => Projection;

/** The limits of included relations, of named members, and of records in one answer. */
const MOST_INCLUDED = 12;
const MOST_NAMED = 200;
const MOST_RECORDS = 10_000;

/** What the parameters of a projection are read with. */
interface ProjectionReading {
  readonly plain: Projection;
  readonly ownMemberOf: (over: Model, name: string) => ProjectedMember | undefined;
  readonly relatedOf: (over: Model, name: string) => Related | undefined;
  readonly known: (over: Model, names: readonly string[]) => string[];
  readonly graph: Graph;
}

/** `usual` is the view without the parameter `view`. */
export function projectionReader(permissions: Permissions, model: Model, usual: string): ProjectionReader {
  const { graph } = permissions;
  const plain = viewOf(graph, model, usual);
  const ownMemberOf = (over: Model, name: string): ProjectedMember | undefined =>
    hides(permissions, over, name) ? undefined : ownMember(over, name);
  const relatedOf = (over: Model, name: string): Related | undefined =>
    hides(permissions, over, name) ? undefined : relatedCalled(over, name);
  const known = (over: Model, names: readonly string[]): string[] =>
    names.filter((name) => !hides(permissions, over, name));

  const reading: ProjectionReading = { plain, ownMemberOf, relatedOf, known, graph };
  return ({ view, fields, include, may }, records, failures) => {
    let projection = plain;
    if (view !== undefined && fields !== undefined) {
      failures.push({ parameter: 'fields', detail: 'must not be given together with view' });
    } else if (view !== undefined) {
      if (model.views.has(view)) projection = viewOf(graph, model, view);
      else
        failures.push({
          parameter: 'view',
          detail: `${model.name} has no view ${quoted(view)}; ${didYouMean(view, model.views.keys())}`,
        });
    } else if (fields !== undefined) {
      projection = readPaths(reading, fields, 'fields', failures, (paths) =>
        named(reading, model, paths, [], failures),
      );
    }
    if (include !== undefined) {
      const chosen = fields === undefined ? [] : projection;
      projection = readPaths(reading, include, 'include', failures, (paths) =>
        included(reading, model, paths, projection, chosen, failures),
      );
      refuseTooMany(projection, records, failures);
    } else if (fields !== undefined) refuseTooMany(projection, records, failures);
    const masked = maskProjection(permissions, model, projection);
    return readMay(model, may, failures) ? [...masked, allowedActs(permissions, model)] : masked;
  };
}

/** Whether `may=true` is given. */
function readMay(model: Model, text: string | undefined, failures: ParameterFailure[]): boolean {
  const isAsked = readFlag('may', text, failures);
  if (isAsked && [...ownNames(model), ...relatedNames(model)].includes('may'))
    failures.push({ parameter: 'may', detail: `a ${model.name} has something else of this name` });
  return isAsked;
}

/** What the viewer may do with each record, by the names that `may` of the model has for it. */
function allowedActs(permissions: Permissions, model: Model): ProjectedMember {
  const acts = actsOnRecords(model).flatMap(([name, act]): AllowedAct[] => {
    const condition = permissions.may(model, act);
    return condition === false ? [] : [{ name, when: expressionOf(condition) }];
  });
  return { kind: 'may', name: 'may', acts };
}

function readPaths(
  { plain }: ProjectionReading,
  text: string,
  parameter: 'fields' | 'include',
  failures: ParameterFailure[],
  read: (paths: Paths) => Projection,
): Projection {
  const paths = text.split(',').map((path) => path.split('.'));
  const most = parameter === 'include' ? MOST_INCLUDED : MOST_NAMED;
  if (paths.length > most) {
    failures.push({ parameter, detail: `names ${paths.length}; ${most} is the most` });
    return plain;
  }
  const projection = read(treeOf(paths));
  if (depthOf(projection) <= MOST_DEPTH) return projection;
  const detail = 'goes too deep: three relations to many may follow each other, or four to one record';
  failures.push({ parameter, detail });
  return plain;
}

/** The members that `fields` names, in that order. */
function named(
  reading: ProjectionReading,
  over: Model,
  paths: Paths,
  trail: readonly string[],
  failures: ParameterFailure[],
): ProjectedMember[] {
  const { ownMemberOf, relatedOf, known, graph } = reading;
  return [...paths].flatMap(([name, inside]): ProjectedMember[] => {
    const refuse = (detail: string): [] => (failures.push({ parameter: 'fields', detail }), []);
    const path = [...trail, name].join('.');
    const own = ownMemberOf(over, name);
    if (own !== undefined) {
      if (inside.size === 0) return [own];
      const parts = own.kind === 'field' ? partsOf(own.field, inside) : undefined;
      return parts === undefined
        ? refuse(`${quoted(path)} has no such parts`)
        : [{ ...own, inside: parts } as ProjectedMember];
    }
    const related = relatedOf(over, name);
    if (related === undefined)
      return refuse(unknownMember(over, name, known(over, [...ownNames(over), ...relatedNames(over)])));
    const target = modelOf(graph, related.target);
    if (inside.size > 0)
      return [{ ...related, projection: named(reading, target, inside, [...trail, name], failures) }];
    const way = `name its members, as ${path}.${target.key.member}, or ask for include=${path}`;
    return refuse(`${quoted(path)} is ${related.kind === 'one' ? 'a whole record' : 'many records'}; ${way}`);
  });
}

/**
 * What is shown, with the records that `include` names. They are shown in their default view, or with the `chosen`
 * members.
 */
function included(
  reading: ProjectionReading,
  over: Model,
  paths: Paths,
  projection: Projection,
  chosen: Projection,
  failures: ParameterFailure[],
): Projection {
  const { relatedOf, known, graph } = reading;
  const members = new Map(projection.map((member) => [member.name, member]));
  for (const [name, inside] of paths) {
    const related = relatedOf(over, name);
    if (related === undefined) {
      const detail = unknownRelation(over, name, known(over, relatedNames(over)));
      failures.push({ parameter: 'include', detail });
      continue;
    }
    const target = modelOf(graph, related.target);
    const before = chosen.find((member) => member.name === name);
    const own = before !== undefined && 'projection' in before ? before.projection : undefined;
    const whole = included(reading, target, inside, own ?? wholeOf(graph, target), own ?? [], failures);
    members.set(name, { ...related, projection: whole });
  }
  return [...members.values()];
}

/** Names, and the members requested of each. */
type Paths = ReadonlyMap<string, Paths>;

function treeOf(paths: readonly (readonly string[])[]): Paths {
  const grow = (tree: Map<string, Paths>, [name, ...rest]: readonly string[]): void => {
    if (name === undefined) return;
    if (!tree.has(name)) tree.set(name, new Map());
    grow(tree.get(name) as Map<string, Paths>, rest);
  };
  const root = new Map<string, Paths>();
  for (const path of paths) grow(root, path);
  return root;
}

type Related =
  Omit<ProjectedMember & { kind: 'one' }, 'projection'> | Omit<ProjectedMember & { kind: 'many' }, 'projection'>;

function relatedCalled(model: Model, name: string): Related | undefined {
  const one = stepCalled(model, name);
  if (one !== undefined) return { kind: 'one', name, ...one };
  const many = viaCalled(model, name);
  return many && { kind: 'many', name, ...many };
}

/** The requested members of an object; undefined if it has no such member. */
function partsOf({ properties }: ValueSpec, paths: Paths): ViewMember[] | undefined {
  const parts = [...paths].map(([name, inside]): ViewMember | undefined => {
    const property = properties?.get(name);
    if (property === undefined) return undefined;
    if (inside.size === 0) return { name };
    const within = partsOf(property, inside);
    return within && { name, inside: within };
  });
  return parts.every((part) => part !== undefined) ? parts : undefined;
}

function refuseTooMany(projection: Projection, records: number, failures: ParameterFailure[]): void {
  const each = mostRecords(projection);
  if (records * each <= MOST_RECORDS) return;
  const most = Math.floor(MOST_RECORDS / each);
  const way = most > 0 && records > 1 ? `include less, or set limit to ${most} at most` : 'include less';
  const detail = `up to ${records * each} records would come along, and ${MOST_RECORDS} is the most; ${way}`;
  failures.push({ parameter: 'include', detail });
}

const quoted = (text: string): string => JSON.stringify(text.slice(0, 60));

const unknownMember = (model: Model, name: string, known: readonly string[]): string =>
  `${model.name} has no field ${quoted(name)}; ${didYouMean(name, known)}`;

function unknownRelation(model: Model, name: string, known: readonly string[]): string {
  const relation =
    model.relations.find(({ field }) => field.member === name) ?? model.links.find(({ member }) => member === name);
  const meant = relation !== undefined && known.includes(relation.name);
  const way = meant ? `did you mean ${relation.name}?` : didYouMean(name, known);
  return `${model.name} has no relation ${quoted(name)}; ${way}`;
}
