import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import { columnSets, rising, wantedOrders } from '../model/indexes.ts';
import { keyFields } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
import type { Asked } from './bounds.ts';

/** What a list needs, and whether an index gives it without scanning other records. */
export interface Wanted {
  readonly model: Model;
  readonly asked: Asked;
  /** It is sorted by a computed value, or by one of a related record. */
  readonly computed: boolean;
  readonly bounded: boolean;
}

/** The members of an index that would help a list, as an entry of the model; and what it would not help with. */
export interface IndexAdvice {
  readonly index?: readonly string[];
  readonly but: readonly string[];
}

/** Which index to add for a list; undefined where none is needed. */
export function indexAdvice(graph: Graph, { model, asked, computed, bounded }: Wanted): IndexAdvice | undefined {
  if (bounded) return undefined;
  const but: string[] = [];
  const order = asked.order.filter(({ field }) => !keyFields(model).includes(field) && !asked.equal.includes(field));
  const [first] = order;
  const mixed = order.some(({ descending }) => descending !== first?.descending);
  // An index finds one range, or keeps an order that begins with it.
  const range = asked.ranges.find((field) => field === first?.field) ?? asked.ranges[0];
  if (computed) but.push('no index keeps the order of a value that is worked out, or of another model');
  else if (mixed) but.push("no declared index keeps an order of both directions; that of the model's own sort has one");
  if (asked.ranges.some((field) => field !== range))
    but.push('an index finds one range; the others are looked at record by record');
  if (asked.more)
    but.push(
      'the rest of the filter (OR, NOT, LIKE, functions, other models, several values) is looked at record by record',
    );
  const keepsOrder = !computed && !mixed && (range === undefined || range === first?.field);
  if (!computed && !mixed && !keepsOrder)
    but.push('what it finds still has to be sorted, because the range is of another field');
  const fields = [
    ...new Set([
      ...asked.equal,
      ...(keepsOrder ? order.map(({ field }) => field) : range === undefined ? [] : [range]),
    ]),
  ];
  if (fields.length === 0 || isThere(graph, model, fields)) return { but };
  return { index: fields.map((field) => declaredName(model, field)), but };
}

const isThere = (graph: Graph, model: Model, fields: readonly Field[]): boolean =>
  columnSets(model)
    .map(rising)
    .concat(wantedOrders(graph, model))
    .some((index) => fields.every((field, at) => index[at]?.field === field));

/** As `index` names it: a relation by its own name. */
const declaredName = (model: Model, field: Field): string =>
  model.relations.find((relation) => relation.field === field)?.name ?? field.member;
