import { both, expressionOf } from '../../access/condition.ts';
import type { Condition } from '../../access/condition.ts';
import { mayBoth, memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import { compileExpression } from '../../expression/compiled.ts';
import type { EvaluationContext } from '../../expression/context.ts';
import { kindOf } from '../../model/expression.ts';
import type { ValueKind } from '../../model/expression.ts';
import type { Graph } from '../../model/graph.ts';
import { storedFields } from '../../model/joined-key.ts';
import type { Model } from '../../model/model.ts';
import type { ProjectionStatement } from '../../query/statements.ts';
import { labelOf, templateSql } from '../../query/template-sql.ts';
import type { TemplateSql } from '../../query/template-sql.ts';
import type { Dialect } from '../../sql/dialect.ts';
import { parametersOf } from '../../sql/parameters.ts';
import type { Binder } from '../../sql/parameters.ts';
import type { Statement } from '../../sql/statement.ts';
import { fieldIs, keyIsText } from '../../sql/stored.ts';

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
  const living = `FROM ${name(model.table)} AS ${ROW} WHERE`;

  /** The lines with which the lives of a record ended. */
  const ends = (record: string, line = LAST): string =>
    `${line}.${name('model')} = ${text(model.name)} AND ${line}.${name('record')} = ${record} ` +
    `AND ${line}.${name('action')} = 'delete'`;

  const deleted = (record: string, of?: string): DeletedRecord =>
    deletedRecord(model, dialect, { table, ends: (line) => ends(record, line) }, of);

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
      here: statement(ROW, `${living} ${fieldIs(dialect, model.key, placeholder(1), ROW)}`, 1),
      gone: statement(STATE, wholeOf(deleted(placeholder(1))), 1),
      ended: statement(STATE, wholeOf(deleted(placeholder(1), placeholder(2))), 2),
    };
  }

  const asker: Asker = { compiled, everywhere };
  return {
    condition(permissions, parameters) {
      const condition = mayBoth(permissions, model, 'journal');
      const here = compiled(condition, ROW, parameters);
      const gone = compiled(condition, STATE, parameters);
      const [record, id] = [`${table}.${name('record')}`, `${table}.${name('id')}`];
      const mine = `${living} ${keyIsText(dialect, model.key, record, ROW)}`;
      const later = `FROM ${table} AS ${LAST} WHERE ${ends(record)} AND ${LAST}.${name('id')} >= ${id}`;
      const { from, where } = deleted(record, id);
      return (
        `(CASE WHEN EXISTS (SELECT 1 ${later}) THEN EXISTS (SELECT 1 FROM ${from} WHERE ${where} AND ${gone}) ` +
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

/** What a deleted record is selected from, and on which condition. */
interface DeletedRecord {
  readonly from: string;
  readonly where: string;
}

const wholeOf = ({ from, where }: DeletedRecord): string => `FROM ${from} WHERE ${where}`;

/** The table of lines, and what chooses those with which lives of a record ended, by the name of the line. */
interface Lines {
  readonly table: string;
  ends(line?: string): string;
}

/**
 * A record as it was when it was deleted: what the last line of its life says, in the columns of its table. It is the
 * life that the line `of` is from; left out, the last.
 */
function deletedRecord(model: Model, dialect: Dialect, { table, ends }: Lines, of: string | undefined): DeletedRecord {
  const { name, expressions } = dialect;
  const [, LAST, STATE] = rowNames(dialect);
  const [changes, id] = [`${LAST}.${name('changes')}`, `${LAST}.${name('id')}`];
  const before = (member: string, type: ValueKind): string => expressions.inside(changes, [member, 'before'], type);
  const values = storedFields(model).map((field) => {
    const [type, { column, partOf }] = [kindOf(field), field];
    if (field.rules.writeOnly) return { name: column, type, value: 'NULL' };
    if (partOf === undefined) return { name: column, type, value: before(field.member, type) };
    const text = expressions.partOfKey(before(partOf.member, TEXT), partOf.at);
    return { name: column, type, value: expressions.keyOfText(type, text) };
  });
  if (expressions.beside !== undefined) {
    const line = name('@line');
    const [end, later] = of === undefined ? ['max', ''] : ['min', ` AND ${line}.${name('id')} >= ${of}`];
    const last = `SELECT ${end}(${line}.${name('id')}) FROM ${table} AS ${line} WHERE ${ends(line)}${later}`;
    const from = `${table} AS ${LAST} JOIN ${expressions.beside(values)} AS ${STATE}`;
    return { from, where: `${ends()} AND ${id} = (${last})` };
  }
  const selected = values.map(({ name: column, value }) => `${value} AS ${name(column)}`);
  const order = of === undefined ? `ORDER BY ${id} DESC` : `AND ${id} >= ${of} ORDER BY ${id}`;
  const lines = `${table} AS ${LAST} WHERE ${ends()} ${order} LIMIT 1`;
  return { from: `(SELECT ${selected.join(', ')} FROM ${lines}) AS ${STATE}`, where: '1 = 1' };
}

const TEXT: ValueKind = { kind: 'text', scale: 0 };

/** A model's name as an SQL text; it never needs escaping. */
const text = (name: string): string => `'${name}'`;
