import type { Field } from './field.ts';
import type { Model, Stamps } from './model.ts';
import type { FieldValue } from './scalar.ts';
import { isSame } from './value.ts';

/** Whether the service makes a field's values by itself: stamps, and keys that no field is. */
export const isMadeByService = ({ key, keyKind }: Pick<Model, 'key' | 'keyKind'>, field: Field): boolean =>
  field.origin === 'stamp' || (field === key && keyKind !== 'field');

/** Whether nobody knows the key of a record before it is made. */
export const isKeyMade = ({ keyKind }: Pick<Model, 'keyKind'>): boolean => keyKind === 'uuid' || keyKind === 'serial';

/** Those that there are, in the order of a record's members. */
export const stampsIn = ({ created, updated }: Stamps): Field[] =>
  [created, updated].filter((field) => field !== undefined);

/** What a change at a moment sets beside all else. */
export const changedAt = ({ stamps: { updated } }: Pick<Model, 'stamps'>, now: Date): Record<string, FieldValue> =>
  updated === undefined ? {} : { [updated.member]: now.toISOString() };

/** Sets when a record was last changed, unless the change itself says another time than the record has. */
export function restamp(
  model: Pick<Model, 'stamps'>,
  values: Record<string, FieldValue>,
  record: Readonly<Record<string, FieldValue>>,
  now: Date,
): void {
  const { updated } = model.stamps;
  if (updated === undefined || !isSame(values[updated.member], record[updated.member])) return;
  Object.assign(values, changedAt(model, now));
}
