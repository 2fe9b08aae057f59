import type { ValueSpec } from '../../model/field.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { compareDecimals, parseDecimal } from '../../text/decimal.ts';

/** The order of two values of a type that are not null: below 0, 0 or above. */
export function compared({ type }: Pick<ValueSpec, 'type'>, one: FieldValue, other: FieldValue): number {
  if (type === 'decimal') return compareDecimals(parseDecimal(one as string)!, parseDecimal(other as string)!);
  if (typeof one === 'string' && typeof other === 'string') return byCodePoint(one, other);
  return Number(one) - Number(other);
}

function byCodePoint(one: string, other: string): number {
  const [left, right] = [Array.from(one), Array.from(other)];
  for (let at = 0; at < Math.min(left.length, right.length); at += 1) {
    const difference = left[at]!.codePointAt(0)! - right[at]!.codePointAt(0)!;
    if (difference !== 0) return difference;
  }
  return left.length - right.length;
}

/** The same with nulls last, whichever way the order goes. */
export function comparedIn(spec: Pick<ValueSpec, 'type'>, one: FieldValue, other: FieldValue, descending: boolean) {
  if (one === null || other === null) return one === other ? 0 : one === null ? 1 : -1;
  return compared(spec, one, other) * (descending ? -1 : 1);
}
