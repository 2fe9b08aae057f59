import type { SortKey } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';

/** A key of the order, and the SQL of its value. */
export interface OrderedBy extends SortKey {
  readonly sql: string;
}

/**
 * The condition that a record comes after (or, backward, before) a position in a total order in which nulls are last.
 * `value` binds the position's value for one key.
 */
export function keysetOf(
  sort: readonly OrderedBy[],
  backward: boolean,
  from: readonly FieldValue[],
  value: (index: number) => string,
): string {
  const beyond = (descending: boolean): string => (descending === backward ? '>' : '<');

  // One row comparison, which an index serves, wherever all keys go one way and none can be null.
  if (sort.every(({ field, descending }) => field.rules.required && descending === sort[0]?.descending)) {
    const columns = sort.map(({ sql }) => sql).join(', ');
    return `(${columns}) ${beyond(sort[0]!.descending)} (${sort.map((_key, index) => value(index)).join(', ')})`;
  }

  const equal = ({ sql }: OrderedBy, index: number): string =>
    from[index] === null ? `${sql} IS NULL` : `${sql} = ${value(index)}`;
  const steps = sort.flatMap(({ field, descending, sql }, index) => {
    const isNull = from[index] === null;
    if (isNull && !backward) return [];
    const before = sort.slice(0, index).map(equal);
    if (isNull) return [[...before, `${sql} IS NOT NULL`]];
    const compared = `${sql} ${beyond(descending)} ${value(index)}`;
    const nullsFollow = !field.rules.required && !backward;
    return [[...before, nullsFollow ? `(${compared} OR ${sql} IS NULL)` : compared]];
  });
  const either = `(${steps.map((step) => `(${step.join(' AND ')})`).join(' OR ')})`;
  const first = sort[0]!;
  if (!first.field.rules.required) return either;
  // Implied by the rest, but shows an index where to begin.
  return `${first.sql} ${beyond(first.descending)}= ${value(0)} AND ${either}`;
}
