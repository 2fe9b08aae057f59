import type { FieldValue } from '../model/scalar.ts';
import type { OrderedBy } from './keyset.ts';
import type { ListForm } from './list-form.ts';

/** A part of a list: the records with, or those without, a value of the first key. */
export interface Arm {
  readonly keys: readonly OrderedBy[];
  readonly from: readonly FieldValue[] | undefined;
  /** Undefined where the list is in one part. */
  readonly isNull?: boolean;
}

/**
 * No index holds nulls last in both directions. But one gives the records that have a value, in either, and then those
 * that have none: so a list that an index serves is made of the two where its first key may be null.
 */
export function armsOf(keys: readonly OrderedBy[], { from, backward, offset }: ListForm, served: boolean): Arm[] {
  const [first, ...rest] = keys;
  if (!served || first!.field.rules.required || rest.length === 0 || offset !== undefined) return [{ keys, from }];
  const { rules } = first!.field;
  const known: OrderedBy = { ...first!, field: { ...first!.field, rules: { ...rules, required: true } } };
  const atNull = from?.[0] === null;
  const withValue: Arm = { keys: [known, ...rest], from: atNull ? undefined : from, isNull: false };
  const without: Arm = { keys: rest, from: atNull ? from.slice(1) : undefined, isNull: true };
  if (backward) return from === undefined || atNull ? [without, withValue] : [withValue];
  return atNull ? [without] : [withValue, without];
}
