import type { Graph, Model } from '../model/graph.ts';
import type { StoreValue } from '../store/contract.ts';
import type { Dialect } from '../store/dialect.ts';
import { toSql } from './sql.ts';
import type { Bound, SqlSurroundings } from './sql.ts';
import type { Expression } from './typed.ts';

/** An expression over the rows of one model's table, which a statement calls by its own name or another. */
export interface CompiledExpression {
  readonly sql: string;
  /** How many placeholders it has. Its statement may repeat it: they stand for the same values again. */
  readonly places: number;
  /** Whether its values are the same at any time. */
  readonly fixed: boolean;
  values(now: Date): StoreValue[];
}

/** How an expression stands in its statement. */
export interface Standing extends Pick<SqlSurroundings, 'inside' | 'finish'> {
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
  { before = 0, row = dialect.name(model.table), inside, finish }: Standing = {},
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
    places: bounds.length,
    fixed: bounds.every(({ kind }) => kind === 'constant'),
    values: (now) => bounds.map((bound) => dialect.bindKind(bound.type, boundValue(bound, now))),
  };
}

/** Nobody is signed in yet. */
function boundValue(bound: Bound, now: Date): string | number | boolean | null {
  switch (bound.kind) {
    case 'constant':
      return bound.value as string | number | boolean;
    case 'now':
      return now.toISOString();
    case 'today':
      return now.toISOString().slice(0, 10);
    case 'me':
      return null;
    case 'role':
      return false;
  }
}
