import type { Field, ValueSpec } from './field.ts';
import type { FieldValue, Scalar } from './scalar.ts';

/*
 * The key of several fields is a text of their values with commas between them, as `1042,3`. A comma in a value is
 * written `%2C`, and a percent sign `%25`: each key has one text, and each text one key.
 */

/** The text of a key of several values. */
export const joinedKey = (values: readonly Scalar[]): string =>
  values.map((value) => String(value).replaceAll('%', '%25').replaceAll(',', '%2C')).join(',');

/** The texts of the values that a key is made of; undefined of a text that is no key's. */
export function textsOfKey(key: string): string[] | undefined {
  if (/%(?!25|2C)/.test(key)) return undefined;
  return key.split(',').map((text) => text.replaceAll('%2C', ',').replaceAll('%25', '%'));
}

/** A part of a key by its text. */
const partOfText = ({ type }: ValueSpec, text: string): Scalar => (type === 'integer' ? Number(text) : text);

/** The values that a key is made of. */
export function valuesOfKey(parts: readonly ValueSpec[], key: string): Scalar[] {
  const texts = textsOfKey(key) ?? [];
  return parts.map((part, at) => partOfText(part, texts[at] ?? ''));
}

/** The same as JSON that statements take apart: each under its place. */
export const keyParts = (parts: readonly ValueSpec[], key: string): string =>
  JSON.stringify({ ...valuesOfKey(parts, key) });

/** The fields with columns that hold the value of a field: itself, or those that it is put together of. */
export const partsOf = (field: Field): readonly Field[] => field.parts ?? [field];

/** The fields that tell records apart. */
export const keyFields = ({ key }: { readonly key: Field }): readonly Field[] => partsOf(key);

/** The members that a key is made of: itself, or those that it is put together of. */
export function keySet({ key, fields }: { readonly key: Field; readonly fields: readonly Field[] }): readonly Field[] {
  const own = keyFields({ key });
  if (key.parts === undefined) return own;
  return fields.filter((field) => field !== key && partsOf(field).every((part) => own.includes(part)));
}

/** The fields that have columns: those that others are put together of in the place of those. */
export const storedFields = ({ fields }: { readonly fields: readonly Field[] }): readonly Field[] => [
  ...new Set(fields.flatMap(partsOf)),
];

type Values = Readonly<Record<string, FieldValue>>;

/** The value of a field that has a column, in a record; null where there is none. */
export function storedValue(values: Values, field: Field): FieldValue {
  if (field.partOf === undefined) return values[field.member] ?? null;
  const text = textsOfKey((values[field.partOf.member] ?? '') as string)?.[field.partOf.at];
  return text === undefined || text === '' ? null : partOfText(field, text);
}

/** The key of a record by its values; undefined where one of those is not known. */
export function keyOfValues(key: Field, values: Values): Scalar | undefined {
  const found = keyFields({ key }).map((field) => storedValue(values, field));
  if (found.includes(null)) return undefined;
  return key.parts === undefined ? (found[0] as Scalar) : joinedKey(found as Scalar[]);
}
