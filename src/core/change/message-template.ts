import { compileExpression } from '../expression/compiled.ts';
import type { EvaluationContext } from '../expression/context.ts';
import type { ValueKind } from '../model/expression.ts';
import { noRules } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model, Template } from '../model/model.ts';
import type { Scalar } from '../model/scalar.ts';
import type { Dialect, Spec } from '../sql/dialect.ts';
import { parametersOf } from '../sql/parameters.ts';
import type { Transaction } from '../store/contract.ts';

/** A text over a stored record, with its own values and those of records that it leads to. */
export type MessageTemplate = (
  transaction: Transaction,
  key: Scalar,
  evaluation: EvaluationContext,
  own: Values,
) => Promise<string>;

/** What is put in place of `{available}` and the like. */
type Values = Readonly<Record<string, string>>;

export function messageTemplate(template: Template, graph: Graph, model: Model, dialect: Dialect): MessageTemplate {
  const parameters = parametersOf<EvaluationContext>(dialect, 1);
  const compiled = template.flatMap((part) => {
    if (typeof part === 'string') return [];
    const finish = (value: string): string => dialect.computedValue(specOf(part.type), value);
    return [compileExpression(part, model, graph, dialect, parameters, { finish })];
  });
  const table = dialect.name(model.table);
  const key = `${table}.${dialect.name(model.key.column)} = ${dialect.placeholder(1)}`;
  const statement = {
    sql: `SELECT ${dialect.text(dialect.array(compiled))} FROM ${table} WHERE ${key}`,
  };
  return async (transaction, keyValue, evaluation, own) => {
    const filled = (text: string): string => text.replace(/\{(\w+)\}/g, (all, name: string) => own[name] ?? all);
    let values: unknown[] = [];
    if (compiled.length > 0) {
      const bound = [dialect.bind(model.key, keyValue), ...parameters.values(evaluation)];
      values = JSON.parse(String((await transaction.first(statement, bound))?.[0] ?? '[]')) as unknown[];
    }
    return template.map((part) => (typeof part === 'string' ? filled(part) : textOf(values.shift()))).join('');
  };
}

const textOf = (value: unknown): string =>
  typeof value === 'string' ? value : value === null || value === undefined ? '' : JSON.stringify(value);

/** The form of an expression's value: that of a field which may be null. */
function specOf({ kind, scale }: ValueKind): Spec {
  return { type: kind === 'text' ? 'string' : kind, scale, rules: noRules };
}
