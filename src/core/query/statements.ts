import type { Field, Model } from '../model/graph.ts';
import type { Statement } from '../store/contract.ts';
import type { Dialect } from '../store/dialect.ts';

/** An expression for a record's JSON with these members, over a table called by its own name. */
export function recordJson(model: Model, fields: readonly Field[], dialect: Dialect): string {
  const table = dialect.name(model.table);
  return dialect.object(
    fields.map((field) => ({ name: field.member, field, column: `${table}.${dialect.name(field.column)}` })),
  );
}

/** One record by its key: one row with its JSON. */
export function readStatement(model: Model, fields: readonly Field[], dialect: Dialect, lock = false): Statement {
  const table = dialect.name(model.table);
  const key = `${table}.${dialect.name(model.key.column)} = ${dialect.placeholder(1)}`;
  return { sql: `SELECT ${recordJson(model, fields, dialect)} FROM ${table} WHERE ${key}${lock ? dialect.lock : ''}` };
}
