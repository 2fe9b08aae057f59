import type { Expression } from '../model/expression.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Scalar } from '../model/scalar.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { StoreValue } from '../sql/statement.ts';
import type { EvaluationContext } from './context.ts';
import { toSql } from './sql.ts';
import type { Bound, SqlContext } from './sql.ts';

/** An expression over the rows of one model's table, which a statement calls by its own name or another. */
export interface CompiledExpression {
  readonly sql: string;
  /** How many placeholders it has. Its statement may repeat it: they stand for the same values again. */
  readonly placeholderCount: number;
  /** Whether its values are the same at any time, and for anybody. */
  readonly isConstant: boolean;
  values(evaluation: EvaluationContext): StoreValue[];
}

/** How an expression stands in its statement. */
export interface SqlPlacement extends Pick<SqlContext, 'inside' | 'finish'> {
  /** How many placeholders of the statement come before its own. */
  readonly before?: number;
  /** What the statement calls the row, quoted; left out: by the name of its table. */
  readonly row?: string;
}

export function compileExpression(
  expression: Expression,
  model: Model,
  graph: Pick<Graph, 'byName'>,
  dialect: Dialect,
  { before = 0, row = dialect.name(model.table), inside, finish }: SqlPlacement = {},
): CompiledExpression {
  const bounds: Bound[] = [];
  let aliases = 0;
  const sql = toSql(expression, model, row, {
    models: graph,
    dialect: dialect.expressions,
    place: (bound) => dialect.placeholder(before + bounds.push(bound)),
    inside,
    finish,
    // No table has such a name.
    alias: () => dialect.name(`#${(aliases += 1)}`),
  });
  return {
    sql,
    placeholderCount: bounds.length,
    isConstant: bounds.every(({ kind }) => kind === 'constant'),
    values: (evaluation) => bounds.map((bound) => dialect.bindKind(bound.type, boundValue(bound, evaluation))),
  };
}

function boundValue(bound: Bound, { now, caller }: EvaluationContext): Scalar {
  switch (bound.kind) {
    case 'constant':
      return bound.value as string | number | boolean;
    case 'now':
      return now.toISOString();
    case 'today':
      return now.toISOString().slice(0, 10);
    case 'me':
      // The journal knows callers by the texts of their keys.
      return caller === null ? null : bound.type.kind === 'text' ? String(caller.key) : caller.key;
    case 'role':
      return caller?.roles.includes(bound.role) ?? false;
  }
}
