import type { TypeName } from '../model/types.ts';

/** What a database says of tables that were there before the models, as plain data. */
export interface Catalogue {
  readonly tables: readonly CatalogueTable[];
}

export interface CatalogueTable {
  readonly name: string;
  readonly isView: boolean;
  /** The statement that makes it again, where it is a view. */
  readonly view?: string | undefined;
  readonly comment?: string | undefined;
  readonly columns: readonly CatalogueColumn[];
  /** The columns of its primary key; none where it has no key. */
  readonly key: readonly string[];
  readonly unique: readonly (readonly string[])[];
  readonly indexes: readonly (readonly string[])[];
  /** All of those by their names. */
  readonly named: readonly NamedIndex[];
  readonly references: readonly CatalogueReference[];
  /** Its checks, in the database's own words. */
  readonly checks: readonly string[];
  /** What the account may do with its rows beside reading them. */
  readonly may: { readonly insert: boolean; readonly update: boolean; readonly delete: boolean };
}

export const tableCalled = ({ tables }: Catalogue, name: string): CatalogueTable | undefined =>
  tables.find((table) => table.name === name);

export const columnCalled = ({ columns }: CatalogueTable, name: string): CatalogueColumn | undefined =>
  columns.find((column) => column.name === name);

export interface CatalogueColumn {
  readonly name: string;
  /** In the database's own words: `numeric(10,2)`. */
  readonly type: string;
  /** Undefined where its values have no form in JSON. */
  readonly kind?: ColumnKind | undefined;
  readonly nullable: boolean;
  readonly preset?: Preset | undefined;
  /** The database makes its values: a number, or whatever it works out from others. */
  readonly made?: 'number' | 'value' | undefined;
  readonly comment?: string | undefined;
  /** What makes such a column again: its type with its order of letters, and what else belongs to it. */
  readonly words: { readonly type: string; readonly more?: string | undefined };
}

export interface NamedIndex {
  /** Undefined where nobody gave it one. */
  readonly name?: string | undefined;
  readonly columns: readonly string[];
  readonly isUnique: boolean;
  /** It is a rule of its table, and can't be dropped as an index. */
  readonly isRule: boolean;
}

/** What a row gets in a column that it was given nothing for. */
export type Preset = { readonly value: string | number | boolean } | 'now' | 'uuid' | { readonly words: string };

/** What a field makes of a column. */
export interface ColumnKind {
  /** The type that is taken for it. */
  readonly type: TypeName;
  readonly scale?: number | undefined;
  /** Each type that a field of it may have, with the form that its values are in; '' for the tool's own. */
  readonly as: Readonly<Partial<Record<TypeName, string>>>;
  /** Why it is not what the database calls it, for people. */
  readonly told?: string | undefined;
  readonly maxLength?: number | undefined;
  readonly minimum?: number | undefined;
  readonly maximum?: number | undefined;
  readonly enum?: readonly string[] | undefined;
  /** Whether the list is a type that has a name. */
  readonly isNamed?: boolean | undefined;
  /** The greatest code point that it takes; undefined for any. */
  readonly widest?: number | undefined;
  /** The type of the items, where it is an array. */
  readonly items?: TypeName | undefined;
  /** The database takes some texts of that type only, and which, no rule could say. */
  readonly readOnly?: boolean;
}

export interface CatalogueReference {
  readonly columns: readonly string[];
  readonly table: string;
  readonly key: readonly string[];
  readonly onDelete: 'restrict' | 'cascade' | 'clear';
  /** Undefined where it has none. */
  readonly name?: string | undefined;
}

/** The greatest whole number that JSON readers take exactly. */
export const MOST_WHOLE = Number.MAX_SAFE_INTEGER;

/** A default as a constant of SQL: a text in quotes, a number, or a truth value; undefined where it is none. */
export function constantIn(sql: string): string | number | boolean | undefined {
  const text = /^[nN]?'((?:[^']|'')*)'$/.exec(sql)?.[1];
  if (text !== undefined) return text.replaceAll("''", "'");
  if (/^-?\d+(\.\d+)?$/.test(sql)) return Number(sql);
  if (/^(true|false)$/i.test(sql)) return sql.toLowerCase() === 'true';
  return undefined;
}
