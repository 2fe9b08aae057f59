import type { Condition } from '../access/condition.ts';
import { compileExpression } from '../expression/compiled.ts';
import type { EvaluationContext } from '../expression/context.ts';
import { fieldExpression } from '../expression/property.ts';
import type { ValueKind } from '../model/expression.ts';
import { noRules } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model, Template } from '../model/model.ts';
import type { Dialect, Spec } from '../sql/dialect.ts';
import { parametersOf } from '../sql/parameters.ts';
import type { Binder } from '../sql/parameters.ts';
import { fromKey, guardSql } from './statements.ts';
import type { ProjectionStatement } from './statements.ts';

/** A text with values of a record in it, and of those that it leads to. */
export interface TemplateSql {
  /** Whether it has any values. */
  readonly open: boolean;
  /** An expression for them: the JSON text of an array. */
  readonly values: string;
  /** The text, with the values that the database wrote; `own` is put in place of `{available}` and the like. */
  write(values: unknown, own?: Readonly<Record<string, string>>): string;
}

/** `row` is what the record is called in the statement; left out, its table is. */
export function templateSql(
  template: Template,
  graph: Graph,
  model: Model,
  dialect: Dialect,
  parameters: Binder<EvaluationContext>,
  row?: string,
): TemplateSql {
  const compiled = template.flatMap((part) => {
    if (typeof part === 'string') return [];
    const finish = (value: string): string => dialect.computedValue(specOf(part.type), value);
    const named = row === undefined ? {} : { row };
    return [compileExpression(part, model, graph, dialect, parameters, { finish, ...named })];
  });
  return {
    open: compiled.length > 0,
    values: dialect.text(dialect.array(compiled)),
    write(values, own = {}) {
      const found = JSON.parse(typeof values === 'string' ? values : '[]') as unknown[];
      const filled = (text: string): string =>
        text.replace(/\{(\w+)\}/g, (all, name: string) => (Object.hasOwn(own, name) ? own[name]! : all));
      return template.map((part) => (typeof part === 'string' ? filled(part) : textOf(found.shift()))).join('');
    },
  };
}

/** A template over the record with a key: one row with its values, none where the guard isn't true of the record. */
export type TemplateStatement = ProjectionStatement & Pick<TemplateSql, 'open' | 'write'>;

export function templateStatement(
  template: Template,
  graph: Graph,
  model: Model,
  dialect: Dialect,
  guard: Condition = true,
): TemplateStatement {
  const parameters = parametersOf<EvaluationContext>(dialect, 1);
  const { values, ...text } = templateSql(template, graph, model, dialect, parameters);
  const guarded = guardSql(graph, model, guard, dialect, parameters);
  return { ...text, sql: `SELECT ${values} ${fromKey(model, dialect)}${guarded}`, values: parameters.values };
}

/** What a record is called where a person reads: its label, or its key. */
export const labelOf = (model: Model): Template => model.label ?? [fieldExpression(model.key)];

const textOf = (value: unknown): string =>
  typeof value === 'string' ? value : value === null || value === undefined ? '' : JSON.stringify(value);

/** The form of an expression's value: that of a field which may be null. */
function specOf({ kind, scale }: ValueKind): Spec {
  return { type: kind === 'text' ? 'string' : kind, scale, rules: noRules };
}
