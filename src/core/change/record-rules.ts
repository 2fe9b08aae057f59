import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import { compileExpression } from '../expression/compiled.ts';
import type { EvaluationContext } from '../expression/context.ts';
import { evaluate } from '../expression/evaluate.ts';
import { fieldExpression } from '../expression/property.ts';
import { childrenOf, manysOf, needs, ownChildrenOf, plain } from '../model/expression.ts';
import type { Expression } from '../model/expression.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import { keyFields } from '../model/joined-key.ts';
import type { Model, RecordRule } from '../model/model.ts';
import type { Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import { parametersOf } from '../sql/parameters.ts';
import type { Statement, StoreValue } from '../sql/statement.ts';
import { fieldIs } from '../sql/stored.ts';
import { draftStatement } from './draft-statement.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** The rules across fields of one model. */
export interface RecordRules {
  /** Rules over the record's own values, checked before it is written; not those that need one of `unknown`. */
  ownFailures(values: Values, evaluation: EvaluationContext, unknown?: ReadonlySet<string>): Failure[];
  /** The other rules that can be told of a record that is not stored, because they lead to no other of its model. */
  onwardFailures(work: UnitOfWork, values: Values, unknown: ReadonlySet<string>): Promise<Failure[]>;
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
  const onwards = others.filter(({ check }) => leadsOnwards(check, model));
  return {
    // A rule over a null is unknown, and passes.
    ownFailures: (values, evaluation, unknown = NONE) =>
      own
        .filter(({ check }) => !needs(check, unknown) && evaluate(check, { values, ...evaluation }) === false)
        .map(failureOf),
    async onwardFailures(work, values, unknown) {
      const known = onwards.filter(({ check }) => !needs(check, unknown));
      if (known.length === 0) return [];
      const broken = known.map(({ check }): Expression => ({ op: 'not', of: check, type: plain('boolean') }));
      const found = await draftStatement(graph, model, broken, dialect).holds(work, values);
      return known.filter((_rule, at) => found[at]).map(failureOf);
    },
    stored: others.map((rule) => storedRule(rule, graph, model, dialect)),
    locks: dialect.lockValues === '' ? [] : locksOf(others, graph, model, dialect),
  };
}

const failureOf = ({ at, message }: RecordRule): Failure => ({
  pointer: at === undefined ? '' : pointerTo(at),
  rule: 'check',
  detail: message,
});

const NONE: ReadonlySet<string> = new Set();

/** Whether an expression leads from one record to the next, and neither to many nor to one of this model. */
function leadsOnwards(expression: Expression, model: Model): boolean {
  if (manysOf(expression).length > 0) return false;
  if (expression.op === 'at' && (expression.target === model.name || !('field' in expression.step))) return false;
  return childrenOf(expression).every((child) => leadsOnwards(child, model));
}

/** A record along the path of an expression, by expressions for the fields that tell it apart. */
interface Reached {
  readonly target: string;
  readonly key: readonly { readonly field: Field; readonly value: Expression }[];
}

function reachedBy(
  graph: Graph,
  expression: Expression,
  within: (of: Expression) => Expression = (of) => of,
): Reached[] {
  if (expression.op !== 'at') return ownChildrenOf(expression).flatMap((child) => reachedBy(graph, child, within));
  const inside = (of: Expression): Expression =>
    within({ op: 'at', step: expression.step, target: expression.target, of, type: of.type });
  const key = keyFields(modelOf(graph, expression.target)).map((field) => ({
    field,
    value: inside(fieldExpression(field)),
  }));
  return [{ target: expression.target, key }, ...reachedBy(graph, expression.of, inside)];
}

function locksOf(rules: readonly RecordRule[], graph: Graph, model: Model, dialect: Dialect): Lock[] {
  const { name } = dialect;
  const locks = rules
    .flatMap(({ check }) => reachedBy(graph, check))
    .map(({ target, key }): Lock => {
      const other = modelOf(graph, target);
      const parameters = parametersOf<EvaluationContext>(dialect, 1);
      const table = name(model.table);
      const from = `FROM ${table} WHERE ${fieldIs(dialect, model.key, dialect.placeholder(1), table)}`;
      const isThere = key.map(({ field, value }) => {
        const sql = compileExpression(value, model, graph, dialect, parameters);
        return `${name(field.column)} = (SELECT ${sql} ${from})`;
      });
      const text = `SELECT 1 FROM ${name(other.table)} WHERE ${isThere.join(' AND ')}${dialect.lockValues}`;
      return { statement: { sql: text }, values: parameters.values };
    });
  const once = new Map(locks.map((lock) => [lock.statement.sql, lock]));
  return [...once].sort(([one], [other]) => (one < other ? -1 : 1)).map(([, lock]) => lock);
}

function storedRule(rule: RecordRule, graph: Graph, model: Model, dialect: Dialect): StoredRule {
  const parameters = parametersOf<EvaluationContext>(dialect, 1);
  const sql = compileExpression(rule.check, model, graph, dialect, parameters);
  const table = dialect.name(model.table);
  const key = fieldIs(dialect, model.key, dialect.placeholder(1), table);
  return {
    statement: { sql: `SELECT ${sql} FROM ${table} WHERE ${key}` },
    values: parameters.values,
    failure: failureOf(rule),
  };
}
