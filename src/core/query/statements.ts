import { expressionOf } from '../access/condition.ts';
import type { Condition } from '../access/condition.ts';
import { compileExpression } from '../expression/compiled.ts';
import type { EvaluationContext } from '../expression/context.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Dialect } from '../sql/dialect.ts';
import { parametersOf } from '../sql/parameters.ts';
import type { Binder } from '../sql/parameters.ts';
import type { Statement, StoreValue } from '../sql/statement.ts';
import { columnValue, fieldIs } from '../sql/stored.ts';
import { isCostly, isCostlyToShow } from './cost.ts';
import { projectionSql } from './projection-sql.ts';
import { mostRecords, storedOf } from './projection.ts';
import type { Projection } from './projection.ts';

/** An expression for the JSON text of a record's stored members, over a table called by its own name. */
export function recordJson(model: Model, fields: readonly Field[], dialect: Dialect): string {
  const table = dialect.name(model.table);
  const members = fields.map((field) => ({
    name: field.member,
    value: dialect.value(field, columnValue(dialect, field, table)),
  }));
  return dialect.text(dialect.object(members));
}

/** One record by its key: one row with the JSON of its stored members. */
export function readStatement(model: Model, fields: readonly Field[], dialect: Dialect): Statement {
  return { sql: `SELECT ${recordJson(model, fields, dialect)} ${fromKey(model, dialect)}` };
}

/** An expression for the JSON text of all that is stored of a record. */
export const storedText = (graph: Graph, model: Model, dialect: Dialect): string =>
  dialect.text(projectionSql(graph, model, storedOf(model), dialect, parametersOf(dialect)));

/**
 * One record by its key: one row with the JSON of all that is stored of it; locked, where nobody else is to change it.
 */
export function storedStatement(graph: Graph, model: Model, dialect: Dialect, lock: boolean): Statement {
  const stored = storedText(graph, model, dialect);
  return { sql: `SELECT ${stored} ${fromKey(model, dialect)}${lock ? dialect.lock : ''}` };
}

/** A statement for one record: the first placeholder is that of its key. */
export interface ProjectionStatement extends Statement {
  /** The values of the other placeholders. */
  values(evaluation: EvaluationContext): StoreValue[];
}

/** With more records at once, the answer is not quick. */
const MANY = 1_000;

/**
 * One record by its key, as an answer shows it: its JSON, and where `whole` that of all it has stored. There is none
 * where the guard isn't true of it.
 */
export function projectionStatement(
  graph: Graph,
  model: Model,
  projection: Projection,
  dialect: Dialect,
  { whole = false, guard = true }: { readonly whole?: boolean; readonly guard?: Condition } = {},
): ProjectionStatement {
  const parameters = parametersOf<EvaluationContext>(dialect, 1);
  const json = projectionSql(graph, model, projection, dialect, parameters);
  const guarded = guardSql(graph, model, guard, dialect, parameters);
  const costly = isCostlyToShow(projection) || (typeof guard !== 'boolean' && isCostly(expressionOf(guard)!));
  const slow = costly || mostRecords(projection) > MANY;
  const stored = whole ? `, ${storedText(graph, model, dialect)}` : '';
  return {
    sql: `SELECT ${dialect.text(json)}${stored} ${fromKey(model, dialect)}${guarded}`,
    slow,
    light: !slow && mostRecords(projection) === 1,
    values: parameters.values,
  };
}

/** What follows the WHERE of a statement over a model's table where a condition is to be true. */
export function guardSql(
  graph: Graph,
  model: Model,
  guard: Condition,
  dialect: Dialect,
  parameters: Binder<EvaluationContext>,
): string {
  const expression = expressionOf(guard);
  return expression === undefined ? '' : ` AND ${compileExpression(expression, model, graph, dialect, parameters)}`;
}

/** Whether a record is there: its key comes first. */
export function thereStatement(graph: Graph, model: Model, dialect: Dialect, guard: Condition): ProjectionStatement {
  const parameters = parametersOf<EvaluationContext>(dialect, 1);
  const guarded = guardSql(graph, model, guard, dialect, parameters);
  return { sql: `SELECT 1 ${fromKey(model, dialect)}${guarded}`, values: parameters.values };
}

export const fromKey = (model: Model, dialect: Dialect): string => {
  const table = dialect.name(model.table);
  return `FROM ${table} WHERE ${fieldIs(dialect, model.key, dialect.placeholder(1), table)}`;
};
