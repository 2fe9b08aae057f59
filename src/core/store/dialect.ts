import type { ValueKind } from '../expression/typed.ts';
import type { ExpressionDialect } from '../expression/dialect.ts';
import type { Field, FieldValue } from '../model/graph.ts';
import type { StoreValue } from './contract.ts';

/** How one kind of database spells what the core asks of it. Set-up work: nothing here runs during a request but `bind`. */
export interface Dialect {
  /** An identifier, quoted. */
  name(identifier: string): string;
  /** The placeholder of the n-th value, counting from 1. */
  placeholder(position: number): string;
  /** An expression for a JSON object of these members, in this order. */
  object(members: readonly { readonly name: string; readonly field: Field; readonly column: string }[]): string;
  /** An expression for a JSON array of the values of these columns. */
  array(columns: readonly { readonly field: Field; readonly column: string }[]): string;
  /** An aggregate that joins the JSON texts of a column in the order of the rows, by `,` and a line feed. */
  joined(column: string): string;
  /** An ORDER BY term; nulls stand last. */
  order(column: string, descending: boolean, nullable: boolean): string;
  /** What locks the rows of a SELECT until the transaction ends; empty where a writer is alone anyway. */
  readonly lock: string;
  readonly expressions: ExpressionDialect;
  /** A value of a field as the driver takes it. */
  bind(field: Field, value: FieldValue): StoreValue;
  /** A value of an expression's kind as the driver takes it. */
  bindKind(type: ValueKind, value: string | number | boolean | null): StoreValue;
}
