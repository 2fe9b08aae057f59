import type { Comparison } from '../model/expression.ts';
import type { FieldValue } from '../model/scalar.ts';

/** An intermediate value: decimals are whole numbers of their smallest unit. */
export type Inner =
  string | number | bigint | boolean | null | readonly FieldValue[] | Readonly<Record<string, FieldValue>>;

/** Below 0, 0 or above 0; null where a side is. */
export function compare(one: Inner, other: Inner): number | null {
  if (one === null || other === null) return null;
  if (typeof one === 'string') return compareTexts(one, other as string);
  return one < other ? -1 : one > other ? 1 : 0;
}

/** By code point, where JavaScript's own comparison goes by code unit. */
export function compareTexts(one: string, other: string): number {
  const length = Math.min(one.length, other.length);
  for (let at = 0; at < length; at += 1) {
    const [a, b] = [one.charCodeAt(at), other.charCodeAt(at)];
    if (a === b) continue;
    // A surrogate stands for a code point above all that have none.
    const [high, low] = [isSurrogate(a), isSurrogate(b)];
    return high === low ? a - b : high ? 1 : -1;
  }
  return one.length - other.length;
}

const isSurrogate = (unit: number): boolean => unit >= 0xd800 && unit <= 0xdfff;

export function holds(op: Comparison, order: number | null): boolean | null {
  if (order === null) return null;
  switch (op) {
    case '=':
      return order === 0;
    case '<>':
      return order !== 0;
    case '<':
      return order < 0;
    case '>':
      return order > 0;
    case '<=':
      return order <= 0;
    case '>=':
      return order >= 0;
  }
}

export function equal(one: Inner, other: Inner): boolean | null {
  const order = compare(one, other);
  return order === null ? null : order === 0;
}

export const negated = (value: boolean | null): boolean | null => (value === null ? null : !value);
export const all = (values: readonly (boolean | null)[]): boolean | null =>
  values.includes(false) ? false : values.includes(null) ? null : true;
export const any = (values: readonly (boolean | null)[]): boolean | null =>
  values.includes(true) ? true : values.includes(null) ? null : false;
