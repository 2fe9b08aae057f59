import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import { compileExpression } from '../expression/compiled.ts';
import type { EvaluationContext } from '../expression/context.ts';
import { evaluate } from '../expression/evaluate.ts';
import { fieldExpression } from '../expression/property.ts';
import { childrenOf } from '../model/expression.ts';
import type { Expression } from '../model/expression.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model, RecordRule } from '../model/model.ts';
import type { Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import { parametersOf } from '../sql/parameters.ts';
import type { Statement, StoreValue } from '../sql/statement.ts';

/** The rules across fields of one model. */
export interface RecordRules {
  /** Rules over the record's own values, checked before it is written. */
  ownFailures(values: Values, evaluation: EvaluationContext): Failure[];
  /** The other rules: statements with one row with the rule's value, run after the record is written. */
  readonly stored: readonly StoredRule[];
  /**
   * Locks the records along the paths of the stored rules, always in the same order: another write that shares them
   * waits, and then sees this record. The record's key comes first. Empty where a writer is alone anyway.
   */
  readonly locks: readonly Lock[];
}

export interface Lock {
  readonly statement: Statement;
  values(evaluation: EvaluationContext): StoreValue[];
}

export interface StoredRule {
  readonly statement: Statement;
  /** The values of the statement's placeholders after the record's key. */
  values(evaluation: EvaluationContext): StoreValue[];
  readonly failure: Failure;
}

export function recordRules(graph: Graph, model: Model, dialect: Dialect): RecordRules {
  const own = model.rules.filter(({ ownValues }) => ownValues);
  const others = model.rules.filter(({ ownValues }) => !ownValues);
  return {
    // A rule over a null is unknown, and passes.
    ownFailures: (values, evaluation) =>
      own.filter(({ check }) => evaluate(check, { values, ...evaluation }) === false).map(failureOf),
    stored: others.map((rule) => storedRule(rule, graph, model, dialect)),
    locks: dialect.lockValues === '' ? [] : locksOf(others, graph, model, dialect),
  };
}

const failureOf = ({ at, message }: RecordRule): Failure => ({
  pointer: at === undefined ? '' : pointerTo(at),
  rule: 'check',
  detail: message,
});

/** A record along the path of an expression, by an expression for its key. */
interface Reached {
  readonly target: string;
  readonly key: Expression;
}

function reachedBy(
  graph: Graph,
  expression: Expression,
  within: (of: Expression) => Expression = (of) => of,
): Reached[] {
  if (expression.op !== 'at') return childrenOf(expression).flatMap((child) => reachedBy(graph, child, within));
  const inside = (of: Expression): Expression =>
    within({ op: 'at', step: expression.step, target: expression.target, of, type: of.type });
  const key = inside(fieldExpression(modelOf(graph, expression.target).key));
  return [{ target: expression.target, key }, ...reachedBy(graph, expression.of, inside)];
}

function locksOf(rules: readonly RecordRule[], graph: Graph, model: Model, dialect: Dialect): Lock[] {
  const { name } = dialect;
  const locks = rules
    .flatMap(({ check }) => reachedBy(graph, check))
    .map(({ target, key }): Lock => {
      const other = modelOf(graph, target);
      const parameters = parametersOf<EvaluationContext>(dialect, 1);
      const sql = compileExpression(key, model, graph, dialect, parameters);
      const [table, own] = [name(model.table), name(model.key.column)];
      const of = `SELECT ${sql} FROM ${table} WHERE ${table}.${own} = ${dialect.placeholder(1)}`;
      const text = `SELECT 1 FROM ${name(other.table)} WHERE ${name(other.key.column)} = (${of})${dialect.lockValues}`;
      return { statement: { sql: text }, values: parameters.values };
    });
  const once = new Map(locks.map((lock) => [lock.statement.sql, lock]));
  return [...once].sort(([one], [other]) => (one < other ? -1 : 1)).map(([, lock]) => lock);
}

function storedRule(rule: RecordRule, graph: Graph, model: Model, dialect: Dialect): StoredRule {
  const parameters = parametersOf<EvaluationContext>(dialect, 1);
  const sql = compileExpression(rule.check, model, graph, dialect, parameters);
  const table = dialect.name(model.table);
  const key = `${table}.${dialect.name(model.key.column)} = ${dialect.placeholder(1)}`;
  return {
    statement: { sql: `SELECT ${sql} FROM ${table} WHERE ${key}` },
    values: parameters.values,
    failure: failureOf(rule),
  };
}
