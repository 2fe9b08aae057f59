import type { Field, Graph, Model } from '../model/graph.ts';
import type { Statement, StoreValue } from '../store/contract.ts';
import type { Dialect } from '../store/dialect.ts';
import { shownSql } from './shown-sql.ts';
import { mostRecords, storedOf } from './shown.ts';
import type { Shown } from './shown.ts';

/** An expression for the JSON text of a record's stored members, over a table called by its own name. */
export function recordJson(model: Model, fields: readonly Field[], dialect: Dialect): string {
  const table = dialect.name(model.table);
  const members = fields.map((field) => ({
    name: field.member,
    value: dialect.value(field, `${table}.${dialect.name(field.column)}`),
  }));
  return dialect.text(dialect.object(members));
}

/** One record by its key: one row with the JSON of its stored members. */
export function readStatement(model: Model, fields: readonly Field[], dialect: Dialect): Statement {
  return { sql: `SELECT ${recordJson(model, fields, dialect)} ${fromKey(model, dialect)}` };
}

/** An expression for the JSON text of all that is stored of a record. */
export const storedText = (graph: Graph, model: Model, dialect: Dialect): string =>
  dialect.text(shownSql(graph, model, storedOf(model), dialect, 0).json);

/** One record by its key: one row with the JSON of all that is stored of it; locked, where nobody else is to change it. */
export function storedStatement(graph: Graph, model: Model, dialect: Dialect, lock: boolean): Statement {
  const stored = storedText(graph, model, dialect);
  return { sql: `SELECT ${stored} ${fromKey(model, dialect)}${lock ? dialect.lock : ''}` };
}

/** A statement for one record: the first placeholder is that of its key. */
export interface ShownStatement extends Statement {
  /** The values of the other placeholders. */
  values(now: Date): StoreValue[];
}

/** So many records at once are no quick answer. */
const MANY = 1_000;

/** One record by its key, as an answer shows it: its JSON, and where `whole` that of all it has stored. */
export function shownStatement(
  graph: Graph,
  model: Model,
  shown: Shown,
  dialect: Dialect,
  whole: boolean,
): ShownStatement {
  const { json, values } = shownSql(graph, model, shown, dialect, 1);
  const stored = whole ? `, ${storedText(graph, model, dialect)}` : '';
  return {
    sql: `SELECT ${dialect.text(json)}${stored} ${fromKey(model, dialect)}`,
    slow: mostRecords(shown) > MANY,
    light: mostRecords(shown) === 1,
    values,
  };
}

const fromKey = (model: Model, dialect: Dialect): string => {
  const table = dialect.name(model.table);
  return `FROM ${table} WHERE ${table}.${dialect.name(model.key.column)} = ${dialect.placeholder(1)}`;
};
