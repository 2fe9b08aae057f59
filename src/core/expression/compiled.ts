import type { Expression } from '../model/expression.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Binder } from '../sql/parameters.ts';
import type { StoreValue } from '../sql/statement.ts';
import type { EvaluationContext } from './context.ts';
import { toSql } from './sql.ts';
import type { Bound, SqlContext } from './sql.ts';

/** How an expression is put into its statement. */
export interface SqlPlacement extends Pick<SqlContext, 'inside' | 'finish'> {
  /** What the statement calls the row, quoted; left out: by the name of its table. */
  readonly row?: string;
}

/**
 * The SQL of an expression over the rows of one model's table. Its constants, and what is known only when the
 * statement runs, become parameters.
 */
export function compileExpression(
  expression: Expression,
  model: Model,
  graph: Pick<Graph, 'byName'>,
  dialect: Dialect,
  parameters: Binder<EvaluationContext>,
  { row = dialect.name(model.table), inside, finish }: SqlPlacement = {},
): string {
  let aliases = 0;
  return toSql(expression, model, row, {
    models: graph,
    dialect: dialect.expressions,
    place: (bound) =>
      bound.kind === 'constant'
        ? parameters.constant(dialect.bindKind(bound.type, bound.value as string | number | boolean))
        : parameters.bind((evaluation) => valueOf(bound, evaluation, dialect)),
    inside,
    finish,
    // No table has such a name.
    alias: () => dialect.name(`#${(aliases += 1)}`),
  });
}

function valueOf(
  bound: Exclude<Bound, { kind: 'constant' }>,
  { now, caller }: EvaluationContext,
  dialect: Dialect,
): StoreValue {
  switch (bound.kind) {
    case 'now':
      return dialect.bindKind(bound.type, now.toISOString());
    case 'today':
      return dialect.bindKind(bound.type, now.toISOString().slice(0, 10));
    case 'me':
      // The journal identifies callers by the texts of their keys.
      return dialect.bindKind(
        bound.type,
        caller === null ? null : bound.type.kind === 'text' ? String(caller.key) : caller.key,
      );
    case 'role':
      return dialect.bindKind(bound.type, caller?.roles.includes(bound.role) ?? false);
  }
}
