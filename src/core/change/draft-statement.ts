import { expressionOf } from '../access/condition.ts';
import type { Condition } from '../access/condition.ts';
import { compileExpression } from '../expression/compiled.ts';
import type { EvaluationContext } from '../expression/context.ts';
import type { Expression } from '../model/expression.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import { storedFields, storedValue } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
import type { Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import { parametersOf } from '../sql/parameters.ts';
import type { Statement } from '../sql/statement.ts';
import { kept } from '../sql/stored.ts';
import { evaluationOf } from './unit-of-work.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** Conditions over a record that is not stored, asked in one statement. */
export interface DraftStatement {
  /** Whether each condition is true of a record that is not stored. */
  holds(work: UnitOfWork, draft: Values): Promise<boolean[]>;
}

export function draftStatement(
  graph: Graph,
  model: Model,
  conditions: readonly Condition[],
  dialect: Dialect,
): DraftStatement {
  const { parameters, row, sql: from } = draftRow(model, dialect);
  const flags = conditions.map((condition) => {
    const sql = compileExpression(expressionOf(condition)!, model, graph, dialect, parameters, { row });
    return `CASE WHEN ${sql} THEN 1 ELSE 0 END`;
  });
  const statement: Statement = { sql: `SELECT ${flags.join(', ')} FROM ${from}` };
  return {
    async holds(work, draft) {
      const bound = parameters.values({ ...evaluationOf(work), draft });
      return (await work.transaction.first(statement, bound))!.map(isTrue);
    },
  };
}

/** Values over a record that is not stored, asked in one statement. */
export interface DraftValues {
  read(work: UnitOfWork, draft: Values): Promise<Values>;
}

export function draftValues(
  graph: Graph,
  model: Model,
  members: readonly { readonly field: Field; readonly value: Expression }[],
  dialect: Dialect,
): DraftValues {
  const draft = draftRow(model, dialect);
  const { parameters, row } = draft;
  const object = dialect.object(
    members.map(({ field, value }) => {
      const spec = { ...field, rules: { ...field.rules, required: false } };
      const finish = (sql: string): string => dialect.computedValue(spec, sql);
      const sql = compileExpression(value, model, graph, dialect, parameters, { row, finish });
      return { name: field.member, value: sql };
    }),
  );
  const statement: Statement = { sql: `SELECT ${object} FROM ${draft.sql}` };
  return {
    async read(work, values) {
      const bound = parameters.values({ ...evaluationOf(work), draft: values });
      return JSON.parse(String((await work.transaction.first(statement, bound))![0])) as Values;
    },
  };
}

/** A row of the values of a record that is not stored, in the place of a table. */
function draftRow(model: Model, dialect: Dialect) {
  const { name } = dialect;
  // No table has such a name.
  const row = name('@draft');
  const parameters = parametersOf<EvaluationContext & { readonly draft: Values }>(dialect);
  const fields = storedFields(model);
  const columns = fields.map(({ column }) => name(column)).join(', ');
  const values = fields.map((field) =>
    kept(
      dialect,
      field,
      parameters.bind(({ draft }) => dialect.bind(field, storedValue(draft, field))),
    ),
  );
  // No row of the table: it lends its columns their names and types.
  const draft = `SELECT ${columns} FROM ${name(model.table)} WHERE 1 = 0 UNION ALL SELECT ${values.join(', ')}`;
  return { row, parameters, sql: `(${draft}) AS ${row}` };
}

/** Databases have no, or another, boolean. */
export const isTrue = (value: unknown): boolean => value !== null && Number(value) === 1;
