import type { ValueKind } from '../model/expression.ts';
import type { Field, ValueSpec } from '../model/field.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { ExpressionDialect } from './expression-dialect.ts';
import type { Statement, StoreValue } from './statement.ts';
import type { Forms } from './form.ts';

/** What the form of a value in JSON depends on. */
export type Spec = Pick<ValueSpec, 'type' | 'scale' | 'rules'>;

export interface ObjectMember {
  readonly name: string;
  readonly value: string;
  readonly when?: string | undefined;
}

/** The rows of a list: the JSON text of each, where they come from, and the ORDER BY terms of their order. */
export interface ListedRows {
  readonly json: string;
  readonly from: string;
  readonly order: string;
}

/** A statement that changes one row of a table, and what it returns of the row then. */
export interface Returning {
  readonly table: string;
  /** UPDATE or so. */
  readonly change: string;
  readonly returned: string;
  /** What finds the row again. */
  readonly where: string;
}

/** What a row that is there already gets of one that was to be inserted: for each column, of which value. */
export type Overwritten = Readonly<Record<string, (inserted: string) => string>>;

/**
 * How one kind of database spells what the core asks of it. Set-up work: nothing here runs during a request but
 * `bind`.
 */
export interface Dialect {
  /** An identifier, quoted. */
  name(identifier: string): string;
  /** The placeholder of the n-th value, counting from 1. */
  placeholder(position: number): string;
  /** A column's value as JSON objects and arrays are to hold it. */
  value(spec: Spec, column: string): string;
  /** The same of the value of an expression. */
  computedValue(spec: Spec, value: string): string;
  /** What stands at a path inside a column that holds an object, as JSON. */
  part(column: string, path: readonly string[]): string;
  /** A JSON object of such values, in this order; those whose condition `when` isn't true are left out. */
  object(members: readonly ObjectMember[]): string;
  /** A JSON array of such values. */
  array(values: readonly string[]): string;
  /** One such value as a JSON text. */
  scalar(value: string): string;
  /** An object or array as a text, to be joined. */
  text(json: string): string;
  /** A JSON array of rows. */
  list(rows: ListedRows): string;
  /** `{ data, more }`: an array of the first rows, and whether there are more than `most`. */
  cappedList(rows: ListedRows, most: number): string;
  /** A JSON array of those JSON texts whose condition, if they have one, is true. */
  chosen(texts: readonly { readonly json: string; readonly when?: string | undefined }[]): string;
  /**
   * An aggregate that joins the JSON texts of rows by `,` and a line feed: in the order of the rows, or in that of the
   * ORDER BY terms.
   */
  joined(column: string, order?: string): string;
  /** Whether such aggregates need those terms: the order of a SELECT that stands in a FROM does not last. */
  readonly ordersJoined?: boolean;
  /** A statement that changes a row and returns something of it. */
  returning(change: Returning): Statement;
  /** What follows an INSERT of a row whose key may be taken; left alone is the row that is there, or some of it. */
  onConflict(key: readonly string[], overwritten: Overwritten): string;
  /** A key as a text. */
  keyText(key: string): string;
  /** As expressions spell it. */
  readonly joinedKey: ExpressionDialect['joinedKey'];
  /** A placeholder of a value of a field, where it is compared or worked with. */
  typed(field: Field, placeholder: string): string;
  /** An ORDER BY term; nulls stand last. */
  order(column: string, descending: boolean, nullable: boolean): string;
  /** What locks the rows of a SELECT until the transaction ends; empty where a writer is alone anyway. */
  readonly lock: string;
  /** The same, but that others may go on referring to them. */
  readonly lockValues: string;
  readonly expressions: ExpressionDialect;
  /** How columns are spelled that are not the tool's own. */
  readonly forms: Forms;
  /** A value of a field as the driver takes it. */
  bind(field: Field, value: FieldValue): StoreValue;
  /** A value of an expression's kind as the driver takes it. */
  bindKind(type: ValueKind, value: string | number | boolean | null): StoreValue;
}
