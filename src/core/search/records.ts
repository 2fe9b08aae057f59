import type { FieldValue } from '../model/scalar.ts';

/** All that is stored of a record: its fields, and the keys in its links. Secrets may be left out. */
export type Row = Readonly<Record<string, FieldValue>>;

/** Records to look into. */
export interface Records {
  allOf(model: string): readonly Row[];
  byKey(model: string, key: FieldValue | undefined): Row | undefined;
}

/** The text of a key. */
export const keyTextOf = (key: FieldValue | undefined): string => `${key as string | number}`;
