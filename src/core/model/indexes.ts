import type { Field } from './field.ts';
import type { Graph } from './graph.ts';
import { keyFields, partsOf } from './joined-key.ts';
import type { Model, SortKey } from './model.ts';
import type { Relation } from './relation.ts';

/** Keys in whose order records can be found. */
export type Ordering = readonly SortKey[];

export const rising = (fields: readonly Field[]): Ordering => fields.map((field) => ({ field, descending: false }));

/**
 * An order in which no two records are alike: where it doesn't name the key, that ends it. It has the direction of what
 * is before, so one index gives an order in both directions.
 */
export function withKey<Key extends SortKey>(order: readonly Key[], model: { readonly key: Field }): (Key | SortKey)[] {
  const descending = order.at(-1)?.descending ?? false;
  const missing = keyFields(model).filter((own) => !order.some(({ field }) => field === own));
  return [...order, ...missing.map((field) => ({ field, descending }))];
}

/**
 * The orders that a model's records are wanted in, beside those of its key and its unique sets: the declared ones,
 * that of its lists, and the records of each relation, in that of its lists where they are listed along it. Each is
 * total, so that a list can go on from any place in it.
 */
export function wantedOrders(graph: Graph, model: Model): Ordering[] {
  return [
    ...model.indexes.map(rising),
    ...model.relations.map((relation) => orderAlong(graph, model, relation)),
    ...(model.sort.length > 1 ? [model.sort] : []),
  ].map((order) => total(byColumn(order), model));
}

/** A reference to a key of several columns is found by all of them; each column once. */
export function byColumn(order: Ordering): Ordering {
  const columns = new Map<Field, SortKey>();
  for (const { field, descending } of order)
    for (const part of partsOf(field)) if (!columns.has(part)) columns.set(part, { field: part, descending });
  return [...columns.values()];
}

function orderAlong(graph: Graph, model: Model, relation: Relation): Ordering {
  const { name, field } = relation;
  const listed =
    relation === model.parent ||
    isReadAlong(model, relation) ||
    graph.models.some(({ reverses }) => reverses.some((one) => one.source === model.name && one.relation === name));
  if (!listed) return rising([field]);
  // It is asked for one record's parts at a time, so that its own direction is free: one way for all serves most.
  return [{ field, descending: model.sort[0]!.descending }, ...model.sort.filter((key) => key.field !== field)];
}

/** Whether callers read the records that refer to them by this relation. */
const isReadAlong = ({ access, owner }: Model, relation: Relation): boolean =>
  access.verbs.read.some((grant) => {
    const path = grant.kind === 'owner' ? owner : grant.kind === 'path' ? grant.path : undefined;
    return path?.length === 1 && path[0] === relation;
  });

/** The sets of columns of which no two records have the same values. */
export const columnSets = (model: Pick<Model, 'key' | 'unique'>): readonly (readonly Field[])[] => [
  keyFields(model),
  ...model.unique.map((set) => set.flatMap(partsOf)),
];

/** Ends an order with the key, or where no two records can be alike. */
function total(order: Ordering, model: Model): Ordering {
  const whole = withKey(order, model);
  const sets = columnSets(model);
  const end = whole.findIndex((_key, at) => {
    const fields = whole.slice(0, at + 1).map(({ field }) => field);
    return sets.some((set) => set.every((field) => fields.includes(field) && field.rules.required));
  });
  return whole.slice(0, end + 1);
}
