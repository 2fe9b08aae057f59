import type { Expression } from '../model/expression.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import { columnSets, rising, wantedOrders } from '../model/indexes.ts';
import type { Ordering } from '../model/indexes.ts';
import type { Model } from '../model/model.ts';

/** What a list needs from a table's indexes. */
export interface Asked {
  /** The fields that have one value in all requested records. */
  readonly equal: readonly Field[];
  /** Fields that are limited to a range. */
  readonly ranges: readonly Field[];
  /** Whether there is any other condition. */
  readonly more: boolean;
  readonly order: Ordering;
}

/** What the indexes of a model's table can serve. */
export interface Bounds {
  /** Whether an index gives the records in this order, if these fields have one value each. */
  orders(equal: readonly Field[], order: Ordering): boolean;
  /**
   * Whether an index finds a page's records without scanning others, so that the cost does not depend on their
   * number.
   */
  isBounded(asked: Asked): boolean;
}

export function boundsOf(graph: Graph, model: Model): Bounds {
  const alone = columnSets(model);
  const indexes = [...alone.map(rising), ...wantedOrders(graph, model)];

  const isOne = (equal: readonly Field[]): boolean => alone.some((set) => set.every((field) => equal.includes(field)));

  const orders: Bounds['orders'] = (equal, order) =>
    isOne(equal) || indexes.some((index) => gives(index, equal, order));

  return {
    orders,
    isBounded({ equal, ranges, more, order }) {
      if (isOne(equal)) return true;
      return !more && ranges.every((field) => field === order[0]?.field) && orders(equal, order);
    },
  };
}

/** Whether an index begins with the fields that have one value, and goes on in the order. */
function gives(index: Ordering, equal: readonly Field[], order: Ordering): boolean {
  const own = index.slice(0, equal.length).map(({ field }) => field);
  if (!equal.every((field) => own.includes(field))) return false;
  const rest = index.slice(equal.length);
  const wanted = order.filter(({ field }) => !equal.includes(field));
  const turned = rest[0]?.descending !== wanted[0]?.descending;
  const both = Math.min(rest.length, wanted.length);
  for (let at = 0; at < both; at += 1) {
    const [one, other] = [rest[at]!, wanted[at]!];
    if (one.field !== other.field || (one.descending !== other.descending) !== turned) return false;
  }
  // Behind the end of an index no two records are alike.
  return wanted.length === 0 || rest.length > 0;
}

/** The parts of a condition that all must be true, as an index sees them. */
export function askedOf(condition: Expression): Pick<Asked, 'equal' | 'ranges' | 'more'> {
  if (condition.op === 'and') {
    const parts = condition.args.map(askedOf);
    return {
      equal: parts.flatMap(({ equal }) => equal),
      ranges: parts.flatMap(({ ranges }) => ranges),
      more: parts.some(({ more }) => more),
    };
  }
  const nothing = { equal: [], ranges: [], more: false };
  if (condition.op === 'between') {
    const field = plainField(condition.of);
    if (field && isFixed(condition.low) && isFixed(condition.high)) return { ...nothing, ranges: [field] };
  }
  if (
    condition.op === '=' ||
    condition.op === '<' ||
    condition.op === '>' ||
    condition.op === '<=' ||
    condition.op === '>='
  ) {
    const [field, value] = plainField(condition.left)
      ? [plainField(condition.left), condition.right]
      : [plainField(condition.right), condition.left];
    if (field && isFixed(value))
      return condition.op === '=' ? { ...nothing, equal: [field] } : { ...nothing, ranges: [field] };
  }
  return { ...nothing, more: true };
}

const plainField = (expression: Expression): Field | undefined =>
  expression.op === 'field' && expression.inside.length === 0 ? expression.field : undefined;

const isFixed = ({ op }: Expression): boolean => op === 'constant' || op === 'now' || op === 'today' || op === 'me';
