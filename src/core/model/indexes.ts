import type { Field, Graph, Model, Relation, SortKey } from './graph.ts';

/** Keys in whose order records can be found. */
export type Ordering = readonly SortKey[];

export const rising = (fields: readonly Field[]): Ordering => fields.map((field) => ({ field, descending: false }));

/**
 * The orders that a model's records are wanted in, beside those of its key and its unique sets: the declared ones, that
 * of its lists, and the records of each relation, in that of its lists where they are listed along it.
 */
export function wantedOrders(graph: Graph, model: Model): Ordering[] {
  return [
    ...model.indexes.map(rising),
    ...model.relations.map((relation) => ordersAlong(graph, model, relation)),
    ...(model.sort.length > 1 ? [model.sort] : []),
  ];
}

function ordersAlong(graph: Graph, model: Model, relation: Relation): Ordering {
  const [own] = rising([relation.field]);
  const { name } = relation;
  const listed =
    relation === model.parent ||
    graph.models.some(({ reverses }) => reverses.some((one) => one.source === model.name && one.relation === name));
  if (!listed) return [own!];
  const order = [own!, ...model.sort.filter(({ field }) => field !== relation.field)];
  // Behind a unique set nothing is left to be put in order.
  const end = order.findIndex((_key, at) =>
    model.unique.some((set) => set.every((field) => order.slice(0, at + 1).some((key) => key.field === field))),
  );
  return end < 0 ? order : order.slice(0, end + 1);
}
