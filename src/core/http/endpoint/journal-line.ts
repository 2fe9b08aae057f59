import type { Principal } from '../../access/principal.ts';
import { hasLives } from '../../change/journal.ts';
import type { Field } from '../../model/field.ts';
import type { Model } from '../../model/model.ts';
import { linkedOf } from '../../model/related.ts';
import type { FieldValue, Scalar } from '../../model/scalar.ts';
import { canonical } from '../../model/value.ts';

/** A line of a journal as its reader gets it, without the members that they did not ask for. */
export interface Line {
  readonly id?: string;
  readonly record?: string;
  readonly by?: string | null;
  changes?: Changes;
  /** What the record and whoever changed it are called, where `labels=true` asks for it. */
  label?: string | null | undefined;
  by_label?: string | null;
}

export type Changes = Record<string, Change>;

interface Change {
  before?: FieldValue;
  after?: FieldValue;
  before_label?: FieldValue;
  after_label?: FieldValue;
}

/** Changes the lines of one page, one after the other. */
export type LineChange = (principal: Principal) => (line: Line) => Promise<void>;

/** A key as it stands in a line; undefined where it can be none. */
export function keyInLine(field: Field, value: FieldValue | undefined): Scalar | undefined {
  if (value === undefined || value === null) return undefined;
  const read = canonical(field, typeof value === 'string' && field.type === 'integer' ? Number(value) : value);
  return 'fault' in read ? undefined : (read.value as Scalar);
}

/** The record of a line, in the life that the line is from. */
interface LineRecord {
  /** Undefined where it can be no key of the model. */
  readonly key: Scalar | undefined;
  /** The line's id, where a key may have had several lives. */
  readonly line: string | undefined;
  /** The same for all lines of a life. */
  readonly name: string;
}

/** Undefined where the reader has left out what says whose line it is. */
export function recordIn(model: Model, { id, record }: Line): LineRecord | undefined {
  const line = hasLives(model) ? id : undefined;
  if (record === undefined || (hasLives(model) && line === undefined)) return undefined;
  return { key: keyInLine(model.key, record), line, name: JSON.stringify([record, line]) };
}

/** The members that hold keys of records, one or many. */
export const keyMembers = (model: Model): readonly { readonly member: string; readonly target: string }[] => [
  ...model.relations.map(({ field: { member }, target }) => ({ member, target })),
  ...linkedOf(model).map(({ member, target }) => ({ member, target })),
];
