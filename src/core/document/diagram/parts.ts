import type { Field } from '../../model/field.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';

/** One line in a box: a member of a record, its type, and a mark. */
export interface BoxLine {
  readonly name: string;
  readonly type: string;
  /** `key`, or `?` where it may be null. */
  readonly mark: 'key' | 'optional' | '';
}

/** A model as a box. */
export interface Box {
  readonly name: string;
  /** Whether its records are those who sign in. */
  readonly signsIn: boolean;
  readonly lines: readonly BoxLine[];
  /** `owner: guest`, `owner: night.hut.warden`; undefined where nobody owns its records. */
  readonly owner?: string;
}

/**
 * The relation between two boxes. `part`: records of `from` are children of one of `to`. `one`: each refers to one of
 * `to`. `many`: any number on both sides.
 */
export interface Link {
  readonly from: string;
  readonly to: string;
  readonly kind: 'part' | 'one' | 'many';
  readonly label: string;
  /** Whether it is the relation by which records find their owner. */
  readonly owner: boolean;
  /** Whether the other end is one record at most. */
  readonly single: boolean;
}

export interface Diagram {
  readonly title: string;
  readonly boxes: readonly Box[];
  readonly links: readonly Link[];
}

/** The models of a service, their relations and their owners, for a drawing. */
export function diagramOf(graph: Graph): Diagram {
  return {
    title: graph.service.name,
    boxes: graph.models.map((model) => boxOf(graph, model)),
    links: graph.models.flatMap((model) => linksOf(graph, model)),
  };
}

function boxOf(graph: Graph, model: Model): Box {
  const own = model.fields.filter((field) => field.refersTo === undefined && field.origin !== 'stamp');
  const path = model.owner?.map(({ name }) => name).join('.');
  const isIdentity = graph.identity?.model === model.name;
  return {
    name: model.name,
    signsIn: isIdentity,
    lines: own.map((field) => lineOf(field, model)),
    ...(path === undefined || path === '' ? {} : { owner: path }),
  };
}

function lineOf(field: Field, model: Model): BoxLine {
  const { type, items, rules } = field;
  const shown = rules.enum !== undefined ? 'choice' : type === 'array' ? `${items?.type ?? 'any'}[]` : type;
  const mark = field === model.key ? 'key' : rules.required || rules.readOnly ? '' : 'optional';
  return { name: field.member, type: shown, mark };
}

function linksOf(graph: Graph, model: Model): Link[] {
  const owner = model.owner?.[0];
  const single = (name: string): boolean =>
    graph.models.some(({ reverses }) =>
      reverses.some((one) => one.one && one.source === model.name && one.relation === name),
    );
  return [
    ...model.relations.map((relation): Link => ({
      from: model.name,
      to: relation.target,
      kind: relation === model.parent ? 'part' : 'one',
      label: relation === model.parent ? '' : relation.name,
      owner: relation === owner,
      single: single(relation.name),
    })),
    ...model.links
      .filter(({ member }) => member !== undefined)
      .map(({ name, target }): Link => ({
        from: model.name,
        to: target,
        kind: 'many',
        label: name,
        owner: false,
        single: false,
      })),
  ];
}
