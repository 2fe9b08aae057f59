import { evaluate } from '../expression/evaluate.ts';
import type { Occasion } from '../access/caller.ts';
import { compileExpression } from '../expression/compiled.ts';
import type { Graph, Model, RecordRule } from '../model/graph.ts';
import type { Failure } from '../rules/failure.ts';
import { pointerTo } from '../rules/failure.ts';
import type { Values } from '../rules/schema.ts';
import type { Statement, StoreValue } from '../store/contract.ts';
import type { Dialect } from '../store/dialect.ts';

/** The rules across fields of one model. */
export interface RecordRules {
  /** Those that a record's own values settle, before it is written. */
  ownFailures(values: Values, occasion: Occasion): Failure[];
  /** The others: each a statement that gives one row with the rule's value, once the record is written. */
  readonly stored: readonly StoredRule[];
}

export interface StoredRule {
  readonly statement: Statement;
  /** The values of the statement's placeholders; the record's key comes last. */
  values(occasion: Occasion): StoreValue[];
  readonly failure: Failure;
}

export function recordRules(graph: Graph, model: Model, dialect: Dialect): RecordRules {
  const own = model.rules.filter(({ ownValues }) => ownValues);
  return {
    // A rule that touches a null is unknown, and holds.
    ownFailures: (values, occasion) =>
      own.filter(({ check }) => evaluate(check, { values, ...occasion }) === false).map(failureOf),
    stored: model.rules.filter(({ ownValues }) => !ownValues).map((rule) => storedRule(rule, graph, model, dialect)),
  };
}

const failureOf = ({ at, message }: RecordRule): Failure => ({
  pointer: at === undefined ? '' : pointerTo(at),
  rule: 'check',
  detail: message,
});

function storedRule(rule: RecordRule, graph: Graph, model: Model, dialect: Dialect): StoredRule {
  const { sql, places, values } = compileExpression(rule.check, model, graph, dialect);
  const table = dialect.name(model.table);
  const key = `${table}.${dialect.name(model.key.column)} = ${dialect.placeholder(places + 1)}`;
  return { statement: { sql: `SELECT ${sql} FROM ${table} WHERE ${key}` }, values, failure: failureOf(rule) };
}
