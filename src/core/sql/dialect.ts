import type { ValueKind } from '../model/expression.ts';
import type { Field, ValueSpec } from '../model/field.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { ExpressionDialect } from './expression-dialect.ts';
import type { StoreValue } from './statement.ts';

/** What the form of a value in JSON depends on. */
export type Spec = Pick<ValueSpec, 'type' | 'scale' | 'rules'>;

export interface ObjectMember {
  readonly name: string;
  readonly value: string;
  readonly when?: string | undefined;
}

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
  /** A JSON array of the JSON texts in the column `j` of a SELECT, in the order of its rows. */
  list(select: string): string;
  /** `{ data, more }`: the same array, and whether a SELECT that has a row where there are more than `most` has one. */
  cappedList(select: string, most: number, beyond: string): string;
  /** An aggregate that joins the JSON texts of a column in the order of the rows, by `,` and a line feed. */
  joined(column: string): string;
  /** An ORDER BY term; nulls stand last. */
  order(column: string, descending: boolean, nullable: boolean): string;
  /** What locks the rows of a SELECT until the transaction ends; empty where a writer is alone anyway. */
  readonly lock: string;
  /** The same, but that others may go on referring to them. */
  readonly lockValues: string;
  readonly expressions: ExpressionDialect;
  /** A value of a field as the driver takes it. */
  bind(field: Field, value: FieldValue): StoreValue;
  /** A value of an expression's kind as the driver takes it. */
  bindKind(type: ValueKind, value: string | number | boolean | null): StoreValue;
}
