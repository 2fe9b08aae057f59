import type { FieldValue, Scalar } from './scalar.ts';
import type { TypeName } from './types.ts';

export interface Rules {
  /** Must be given when a record is created, and is never null. */
  readonly required: boolean;
  /** What an absent value becomes, where that is a constant. */
  readonly default?: FieldValue;
  /** An absent value becomes a constant, or what an expression in `defaults` of its model or operation gives. */
  readonly hasDefault: boolean;
  readonly minLength?: number;
  readonly maxLength?: number;
  /** The most characters, where the service needs a limit and no maxLength is declared. */
  readonly longest?: number;
  readonly pattern?: string;
  readonly format?: string;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly exclusiveMinimum?: number;
  readonly exclusiveMaximum?: number;
  readonly multipleOf?: number;
  readonly minItems?: number;
  readonly maxItems?: number;
  readonly uniqueItems: boolean;
  readonly enum?: readonly Scalar[];
  readonly const?: FieldValue;
  readonly trim: boolean;
  readonly letters?: 'lower' | 'upper';
  readonly immutable: boolean;
  readonly readOnly: boolean;
  /** Taken, never shown. */
  readonly writeOnly: boolean;
  /** The developer's own words, for every rule or by the rule's name. */
  readonly message?: string | Readonly<Record<string, string>>;
}

/** What a value may be: its type, its rules, and those of the values inside it. */
export interface ValueSpec {
  readonly type: TypeName;
  /** Digits after the point, where the type is decimal. */
  readonly scale: number;
  readonly rules: Rules;
  /** What each item is, where the type is array. Items are never null. */
  readonly items?: ValueSpec;
  /** What each member is, where the type is object. */
  readonly properties?: ReadonlyMap<string, ValueSpec>;
  /** Those that it is put together of, where it is the key of several fields: a text as `1042,3`. */
  readonly parts?: readonly Field[];
  readonly description?: string;
  /** Deprecated: it works, but should not be used any more. */
  readonly deprecated?: boolean | undefined;
  readonly examples: readonly FieldValue[];
}

/** What a database that was there already makes of a field, where that is not what the tool would. */
export interface Stored {
  /** The form of its values, by the name that the store's dialect has for it. */
  readonly form?: string;
  /** The type of its column, in the database's own words. */
  readonly type: string;
  /** The database itself gives it its values. */
  readonly made?: boolean;
  /** The greatest whole number that its column takes. */
  readonly most?: number;
  /** The greatest code point that its column takes, where that is not any. */
  readonly widest?: number;
}

/** One stored member of a record: its key, a declared field, the key of a related record, or a stamp. */
export interface Field extends ValueSpec {
  /** Its name in JSON. */
  readonly member: string;
  /** Empty where it has none of its own: it is put together of others. */
  readonly column: string;
  readonly origin: 'key' | 'field' | 'relation' | 'stamp';
  /** The name of the model whose key this is, where the origin is a relation. */
  readonly refersTo?: string;
  /** The member whose text its value is a part of, and at which place: it has a column of its own, and no member. */
  readonly partOf?: { readonly member: string; readonly at: number };
  /** The field whose text it is derived from when the client gives none: a slug. */
  readonly derivedFrom?: string;
  /** Other records draw on it: once its record is created, only they change it. */
  readonly drawnOn?: boolean;
  /** Undefined where its table is the tool's own. */
  readonly stored?: Stored | undefined;
}

/** The rules of a value without declared rules. */
export const noRules: Rules = {
  required: false,
  hasDefault: false,
  uniqueItems: false,
  trim: false,
  immutable: false,
  readOnly: false,
  writeOnly: false,
};

/** Where nothing is said of it. */
export const USUAL_ITEMS = 10_000;

export const USUAL_LONGEST = 10_000;
