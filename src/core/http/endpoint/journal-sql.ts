import { both, expressionOf } from '../../access/condition.ts';
import type { Condition } from '../../access/condition.ts';
import { mayBoth, memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import { compileExpression } from '../../expression/compiled.ts';
import type { EvaluationContext } from '../../expression/context.ts';
import { kindOf } from '../../model/expression.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { ProjectionStatement } from '../../query/statements.ts';
import { labelOf, templateSql } from '../../query/template-sql.ts';
import type { TemplateSql } from '../../query/template-sql.ts';
import type { Dialect } from '../../sql/dialect.ts';
import { parametersOf } from '../../sql/parameters.ts';
import type { Binder } from '../../sql/parameters.ts';
import type { Statement } from '../../sql/statement.ts';

/** The same question about a record, wherever it is kept. */
export interface StateStatements {
  /** While the record exists: by its key. */
  readonly here: ProjectionStatement;
  /** As it was when it was last deleted: by the text of its key. */
  readonly gone: ProjectionStatement;
  /** As it was when the life that a line is from ended: by the text of its key, and the line's id. */
  readonly ended: ProjectionStatement;
}

/** What may be known of a record. Each statement returns a flag for every condition, in their order. */
export interface GrantStatements extends StateStatements {
  /** Members that not every reader may see. */
  readonly restricted: readonly string[];
}

/** What a record is called. Each statement returns what `write` makes a text of, or null where it may not be read. */
export type LabelStatements = StateStatements & Pick<TemplateSql, 'write'>;

/** The SQL of a model's journal. A key may have had several records: each life ends with a line of its delete. */
export interface JournalSql {
  /** Whether the journal of a line's record may be read. */
  condition(permissions: Permissions, parameters: Binder<EvaluationContext>): string;
  statesOf(permissions: Permissions): GrantStatements;
  labelsOf(permissions: Permissions): LabelStatements;
  /** Whether a key has any line. */
  readonly written: Statement;
  /** The id of the line that ended a life, counted from the last one. */
  readonly endOfLife: Statement;
}

export function journalSql(model: Model, journal: Model, graph: Graph, dialect: Dialect): JournalSql {
  const { name, placeholder } = dialect;
  const table = name(journal.table);
  const [ROW, LAST, STATE] = rowNames(dialect);
  const living = `FROM ${name(model.table)} AS ${ROW} WHERE ${ROW}.${name(model.key.column)}`;

  /** The lines with which the lives of a record ended. */
  const ends = (record: string): string =>
    `${LAST}.${name('model')} = ${text(model.name)} AND ${LAST}.${name('record')} = ${record} ` +
    `AND ${LAST}.${name('action')} = 'delete'`;

  const deleted = (record: string, of?: string): string =>
    deletedRecord(model, dialect, `${table} AS ${LAST} WHERE ${ends(record)}`, of);

  function compiled(condition: Condition, row: string, parameters: Binder<EvaluationContext>): string {
    const expression = expressionOf(condition);
    return expression === undefined
      ? '1 = 1'
      : compileExpression(expression, model, graph, dialect, parameters, { row });
  }

  /** Asks the same of a record that exists, of the last one that is gone, and of one whose life has ended. */
  function everywhere(asking: Asking): StateStatements {
    const statement = (row: string, from: string, before: number): ProjectionStatement => {
      const parameters = parametersOf<EvaluationContext>(dialect, before);
      return { sql: `SELECT ${asking(row, parameters)} ${from}`, values: parameters.values };
    };
    return {
      here: statement(ROW, `${living} = ${placeholder(1)}`, 1),
      gone: statement(STATE, deleted(placeholder(1)), 1),
      ended: statement(STATE, deleted(placeholder(1), placeholder(2)), 2),
    };
  }

  const asker: Asker = { compiled, everywhere };
  return {
    condition(permissions, parameters) {
      const condition = mayBoth(permissions, model, 'journal');
      const here = compiled(condition, ROW, parameters);
      const gone = compiled(condition, STATE, parameters);
      const [record, id] = [`${table}.${name('record')}`, `${table}.${name('id')}`];
      const mine = `${living} = ${dialect.expressions.keyOfText(kindOf(model.key), record)}`;
      const later = `FROM ${table} AS ${LAST} WHERE ${ends(record)} AND ${LAST}.${name('id')} >= ${id}`;
      return (
        `(CASE WHEN EXISTS (SELECT 1 ${later}) THEN EXISTS (SELECT 1 ${deleted(record, id)} WHERE ${gone}) ` +
        `ELSE EXISTS (SELECT 1 ${mine} AND ${here}) END)`
      );
    },

    statesOf: memoizeByPermissions((permissions: Permissions) => grantStatements(model, permissions, asker)),

    labelsOf: memoizeByPermissions((permissions: Permissions) => labelStatements(model, permissions, dialect, asker)),

    written: {
      sql:
        `SELECT 1 FROM ${table} WHERE ${name('model')} = ${text(model.name)} ` +
        `AND ${name('record')} = ${placeholder(1)} LIMIT 1`,
    },

    endOfLife: {
      sql:
        `SELECT ${LAST}.${name('id')} FROM ${table} AS ${LAST} WHERE ${ends(placeholder(1))} ` +
        `ORDER BY ${LAST}.${name('id')} DESC LIMIT 1 OFFSET ${placeholder(2)}`,
    },
  };
}

/** What a statement selects of the record that it calls `row`. */
type Asking = (row: string, parameters: Binder<EvaluationContext>) => string;

/** What questions about a record are put together with. */
interface Asker {
  compiled(condition: Condition, row: string, parameters: Binder<EvaluationContext>): string;
  everywhere(asking: Asking): StateStatements;
}

function grantStatements(model: Model, permissions: Permissions, { compiled, everywhere }: Asker): GrantStatements {
  const restricted = [...model.access.fields.keys()].filter((member) => permissions.sees(model, member) !== true);
  const conditions: Condition[] = [
    permissions.may(model, 'read'),
    mayBoth(permissions, model, 'journal'),
    ...restricted.flatMap((member) => [
      permissions.sees(model, member),
      both(permissions.may(model, 'update'), permissions.sets(model, member)),
    ]),
  ];
  const statements = everywhere((row, parameters) =>
    conditions.map((one) => `CASE WHEN ${compiled(one, row, parameters)} THEN 1 ELSE 0 END`).join(', '),
  );
  return { restricted, ...statements };
}

function labelStatements(
  model: Model,
  permissions: Permissions,
  dialect: Dialect,
  { compiled, everywhere }: Asker,
): LabelStatements {
  let write: TemplateSql['write'];
  const statements = everywhere((row, parameters) => {
    const guard = compiled(permissions.may(model, 'read'), row, parameters);
    const label = templateSql(labelOf(model), permissions.graph, model, dialect, parameters, row);
    write = label.write;
    return `CASE WHEN ${guard} THEN ${label.values} END`;
  });
  return { ...statements, write: write! };
}

/** The names in statements of the record, of the last line of a life, and of the record in that line. */
const rowNames = ({ name }: Dialect): readonly [string, string, string] => [
  name('@record'),
  name('@last'),
  name('@state'),
];

/**
 * A record as it was when it was deleted: what the last line of its life says, in the columns of its table. It is the
 * life that the line `of` is from; left out, the last.
 */
function deletedRecord(model: Model, dialect: Dialect, lines: string, of: string | undefined): string {
  const { name } = dialect;
  const [, LAST, STATE] = rowNames(dialect);
  const [changes, id] = [`${LAST}.${name('changes')}`, `${LAST}.${name('id')}`];
  const columns = model.fields.map((field) => {
    const was = field.rules.writeOnly
      ? 'NULL'
      : dialect.expressions.inside(changes, [field.member, 'before'], kindOf(field));
    return `${was} AS ${name(field.column)}`;
  });
  const order = of === undefined ? `ORDER BY ${id} DESC` : `AND ${id} >= ${of} ORDER BY ${id}`;
  return `FROM (SELECT ${columns.join(', ')} FROM ${lines} ${order} LIMIT 1) AS ${STATE}`;
}

/** A model's name as an SQL text; it never needs escaping. */
const text = (name: string): string => `'${name}'`;
