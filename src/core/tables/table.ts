import type { FieldValue, Scalar } from '../model/scalar.ts';
import type { TypeName } from '../model/types.ts';

/** A table as the models need it, in no database's own words. */
export interface Table {
  readonly name: string;
  /** What it holds: `hut`, the links `hut.amenities`. By this it is known again when its name changes. */
  readonly of: string;
  readonly columns: readonly Column[];
  /** The name of the column; none where links stand, or the key has several. */
  readonly primaryKey?: string | undefined;
  /** The columns of a primary key of several. */
  readonly jointKey?: readonly string[] | undefined;
  readonly unique: readonly Index[];
  readonly indexes: readonly Index[];
  readonly references: readonly Reference[];
  /** The statement that makes it, where it is a view that was found: nothing about it changes. */
  readonly view?: string;
  /** What else was found in it, where a table is made anew to be changed: it is in the new one as well. */
  readonly beside?: Beside;
}

/** Parts of a table that no model names, in the words of its database. */
export interface Beside {
  readonly columns: readonly { readonly name: string; readonly words: string; readonly isMade?: true }[];
  /** Conditions on its rows. */
  readonly checks: readonly string[];
}

export const isView = ({ view }: Table): boolean => view !== undefined;

export interface Column {
  readonly name: string;
  /** The member of a record that it holds. By this it is known again when its name changes. */
  readonly member: string;
  readonly type: TypeName;
  readonly scale: number;
  readonly nullable: boolean;
  /** The database numbers the records itself. */
  readonly serial: boolean;
  /** What a row gets that is made without it: by services of the version before, while they go on. */
  readonly usual?: Fill;
  /** The most characters of a text whose own rules don't say so: of a key that it refers to. */
  readonly width?: number;
  /** Rules that the database keeps too. Null keeps them all. */
  readonly checks: readonly Check[];
  /** What its values are made of, where the type is array or object. Pictures of older versions say nothing of it. */
  readonly shape?: Shape;
  /** Set where it was there before the models, and is as it was found. The database keeps none of its checks then. */
  readonly found?: Found;
}

/** A column as it was found, in the words of its database. */
export interface Found {
  /** Its type, with its order of letters: `varchar(20) COLLATE nocase`. */
  readonly type: string;
  /** The form of its values; left out where that is the tool's own. */
  readonly form?: string;
  /** What else belongs to it: a default, how it is worked out. */
  readonly more?: string;
  /** The database works out its values from others. */
  readonly isMade?: true;
  /** The values of its type, where that is a list that has a name. */
  readonly labels?: readonly string[];
}

/** What rows get that have no value, or one that can't stay: a constant, or the moment of the change. */
export type Fill = { readonly value: NonNullable<FieldValue> } | 'now';

/** The form of a value that may hold others, without the rules that only the service looks at. */
export interface Shape {
  readonly type: TypeName;
  readonly scale: number;
  /** Each item's, of an array. */
  readonly items?: Shape;
  /** Each member's, of an object. */
  readonly properties?: Readonly<Record<string, PropertyShape>>;
}

export interface PropertyShape extends Shape {
  readonly required: boolean;
  /** Its name after a change, where that is another. Never in a snapshot. */
  readonly becomes?: string;
}

/** A rule that SQL can say. */
export type Check =
  { readonly rule: 'enum'; readonly values: readonly Scalar[] } | { readonly rule: LimitRule; readonly limit: number };

export type LimitRule =
  'minLength' | 'maxLength' | 'minimum' | 'maximum' | 'exclusiveMinimum' | 'exclusiveMaximum' | 'multipleOf';

export interface Index {
  readonly name: string;
  readonly columns: readonly string[];
  /** Those of the columns whose values stand from high to low. */
  readonly descending: readonly string[];
  /** It was found as a rule of the table, and goes as one. */
  readonly isRule?: true;
}

export interface Reference {
  readonly column: string;
  readonly table: string;
  readonly key: string;
  readonly onDelete: 'restrict' | 'cascade' | 'clear';
  /** The other columns of a reference to a key of several, and what they refer to. */
  readonly more?: readonly ColumnPair[];
  /** What it was called when it was found. */
  readonly found?: string;
}

/** A column of a reference, and that of the key. */
export interface ColumnPair {
  readonly column: string;
  readonly key: string;
}

/** The columns of a reference, with those of the key. */
export const pairsOf = ({ column, key, more = [] }: Reference): ColumnPair[] => [{ column, key }, ...more];

/** What the database itself sees to of the values of a column. */
export const keptChecks = ({ checks, found }: Column): readonly Check[] => (found === undefined ? checks : []);

/** How a column is called: `hut.altitude_m`. */
export const called = (table: Table, column: Column): string => `${table.of}.${column.member}`;
