import type { EvaluationContext } from '../expression/context.ts';
import type { Graph } from '../model/graph.ts';
import type { Model, Template } from '../model/model.ts';
import type { Scalar } from '../model/scalar.ts';
import { templateStatement } from '../query/template-sql.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Transaction } from '../store/contract.ts';

/** A text over a stored record; `own` is put in place of `{available}` and the like. */
export type MessageTemplate = (
  transaction: Transaction,
  key: Scalar,
  evaluation: EvaluationContext,
  own: Readonly<Record<string, string>>,
) => Promise<string>;

export function messageTemplate(template: Template, graph: Graph, model: Model, dialect: Dialect): MessageTemplate {
  const statement = templateStatement(template, graph, model, dialect);
  const { open, write } = statement;
  return async (transaction, key, evaluation, own) => {
    if (!open) return write(undefined, own);
    const bound = [dialect.bind(model.key, key), ...statement.values(evaluation)];
    return write((await transaction.first(statement, bound))?.[0], own);
  };
}
