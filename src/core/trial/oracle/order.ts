import type { Field, ValueSpec } from '../../model/field.ts';
import { keyFields, storedValue } from '../../model/joined-key.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { compareDecimals, parseDecimal } from '../../text/decimal.ts';
import type { Row } from '../../search/records.ts';

/** The order of two values of a type that are not null: below 0, 0 or above. */
export function compared({ type }: Pick<ValueSpec, 'type'>, one: FieldValue, other: FieldValue): number {
  if (type === 'decimal') return compareDecimals(parseDecimal(one as string)!, parseDecimal(other as string)!);
  if (typeof one === 'string' && typeof other === 'string') return byCodePoint(one, other);
  return Number(one) - Number(other);
}

function byCodePoint(one: string, other: string): number {
  for (let at = 0; at < Math.min(one.length, other.length); at += 1) {
    const [left, right] = [one.charCodeAt(at), other.charCodeAt(at)];
    if (left !== right) return placeOf(left) - placeOf(right);
  }
  return one.length - other.length;
}

/** Halves of a character beyond U+FFFF come after all others. */
const placeOf = (unit: number): number => (unit >= 0xd800 && unit <= 0xdfff ? unit + 0x1_0000 : unit);

/** The same with nulls last, whichever way the order goes. */
export function comparedIn(spec: Pick<ValueSpec, 'type'>, one: FieldValue, other: FieldValue, descending: boolean) {
  if (one === null || other === null) return one === other ? 0 : one === null ? 1 : -1;
  return compared(spec, one, other) * (descending ? -1 : 1);
}

/** The order of two records by what tells them apart. */
export function comparedByKey(model: { readonly key: Field }, one: Row, other: Row, descending: boolean): number {
  for (const field of keyFields(model)) {
    const difference = comparedIn(field, storedValue(one, field), storedValue(other, field), descending);
    if (difference !== 0) return difference;
  }
  return 0;
}
