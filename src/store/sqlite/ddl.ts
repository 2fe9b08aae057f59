import type { Ddl } from '../../core/tables/ddl.ts';
import { shortName } from '../../core/tables/names.ts';
import { isOwn } from '../../core/tables/own-tables.ts';
import { isIn, isUnchanged } from '../../core/tables/schema-diff.ts';
import type { ColumnChange, SchemaDiff, TableChange } from '../../core/tables/schema-diff.ts';
import { pairsOf } from '../../core/tables/table.ts';
import type { Column, Table } from '../../core/tables/table.ts';
import { newValue } from '../sql/converted.ts';
import { countSql } from '../sql/count.ts';
import { quoteName as name, quoteText } from '../sql/quote.ts';
import { rememberedSql } from '../sql/remembered.ts';
import { createIndexes, dropIndex, goneIndexes, passage, renameText } from '../sql/tables.ts';
import { inside } from './convert.ts';
import { moveStatements } from './move.ts';
import { columnText, columnType, conversions, createTable, fillText } from './tables.ts';

/**
 * SQLite changes little of a table in place: for all the rest the table is made anew, filled from the old one, and
 * takes its name.
 */
export const sqliteDdl: Ddl = {
  diff(plan) {
    const targets = targetsOf(plan);
    return [
      passage('new names', plan.renames.map(renameText)),
      passage(
        'indexes that go',
        [
          // Those of tables that stand aside for others of the same name.
          ...plan.dropped
            .filter(({ name: table }) => isOwn(table))
            .flatMap(({ unique, indexes }) => [...unique, ...indexes]),
          ...plan.changed.flatMap(goneIndexes).filter(({ isRule }) => !isRule),
        ].map(dropIndex),
      ),
      ...plan.created.map((table) =>
        passage(`a new table for ${table.of}`, [createTable(table), ...makeIndexes(table)]),
      ),
      passage('values that move', [...landings(plan), ...plan.moves.flatMap(moveStatements)]),
      ...plan.changed.map((change) => passage(remarkOf(change), changeStatements(change, targets))),
      passage('what is remembered by those names', rememberedSql(plan.remembered, inside)),
      passage(
        'tables that go',
        plan.dropped.map(({ name: table }) => `DROP TABLE ${name(table)}`),
      ),
      passage(
        'views',
        plan.views.map(({ view }) => view!),
      ),
    ].filter(({ statements }) => statements.length > 0);
  },

  madeAnew: (plan) =>
    plan.changed.filter((change) => needsRebuild(change, targetsOf(plan))).map(({ before }) => before),

  createIfMissing: (table) =>
    [createTable(table).replace('CREATE TABLE', 'CREATE TABLE IF NOT EXISTS'), ...createIndexes(table)].join(';\n'),
  fillFromJson: ({ name: table, columns }) => {
    const values = columns.map((column) => `value ->> ${quoteText(column.name)}`).join(', ');
    return (
      `INSERT INTO ${name(table)} ` +
      `(${columns.map((column) => name(column.name)).join(', ')}) ` +
      `SELECT ${values} FROM json_each(?)`
    );
  },
  empty: (tables) => tables.map((table) => `DELETE FROM ${name(table)}`).join(';\n'),
  drop: (tables) => tables.map((table) => `DROP TABLE IF EXISTS ${name(table)}`).join(';\n'),
  count: (affected) => countSql(affected, conversions, inside),
};

/** Columns that values move to. */
const targetsOf = ({ moves }: SchemaDiff): ReadonlySet<Column> =>
  new Set(moves.flatMap((move) => move.columns.map(({ to }) => to)));

/** Columns of standing tables that values move to: bare ones for now. */
function landings({ moves }: SchemaDiff): string[] {
  return moves
    .filter(({ made }) => !made)
    .flatMap(({ target, columns }) =>
      columns.map(({ to }) => `ALTER TABLE ${name(target.name)} ADD COLUMN ${name(to.name)} ${columnType(to)}`),
    );
}

const remarkOf = ({ after, columns }: TableChange): string => {
  const changed = columns.filter((column) => !isUnchanged(column));
  const words = changed.map(({ before, after: next }) =>
    next === undefined ? `without ${before!.member}` : before === undefined ? `with ${next.member}` : next.member,
  );
  return words.length === 0 ? after.of : `${after.of}: ${words.join(', ')}`;
};

function changeStatements(change: TableChange, landed: ReadonlySet<Column>): string[] {
  if (needsRebuild(change, landed)) return rebuild(change, landed);
  const { carried, after, columns } = change;
  const changed = columns.filter((column) => !isUnchanged(column));
  const added = changed.flatMap((column) => (column.before === undefined ? [column.after!] : []));
  const gone = changed.flatMap((column) => (column.after === undefined ? [column.before!] : []));
  return [
    ...gone.map((column) => `ALTER TABLE ${name(after.name)} DROP COLUMN ${name(column.name)}`),
    ...added
      .filter((column) => !landed.has(column))
      .map((column) => `ALTER TABLE ${name(after.name)} ADD COLUMN ${columnText(after, column)}`),
    ...makeIndexes(after, carried),
  ];
}

/** Whether a change is more than columns that come empty, columns that go, and indexes. */
function needsRebuild(change: TableChange, landed: ReadonlySet<Column>): boolean {
  const { carried, after } = change;
  const changed = change.columns.filter((column) => !isUnchanged(column));
  const refers = (table: Table, column: Column): boolean =>
    table.references.flatMap(pairsOf).some((pair) => pair.column === column.name);
  // A column brings its own reference along, but for one of several.
  const staying = after.references.filter(
    ({ column, more }) => more !== undefined || carried.columns.some((old) => old.name === column),
  );
  return (
    // What is a rule of a table goes with it only.
    goneIndexes(change).some(({ isRule }) => isRule) ||
    staying.some((reference) => !isIn(reference, carried.references)) ||
    carried.references.some(
      (reference) =>
        !isIn(reference, after.references) &&
        (reference.more !== undefined || after.columns.some((column) => column.name === reference.column)),
    ) ||
    changed.some(({ before, after: next, fill }) => {
      if (next === undefined) return refers(carried, before!);
      if (before !== undefined) return true;
      const isBare = columnText(after, next) === `${name(next.name)} ${columnType(next)}`;
      // Rows that are there get a usual constant by themselves.
      if (next.usual !== undefined && next.usual !== 'now') return false;
      return !next.nullable || fill !== undefined || (landed.has(next) && !isBare);
    })
  );
}

/** What was found as a rule of its table is an index of a table that is made anew. */
const makeIndexes = (table: Table, had?: Table): string[] => {
  const plain = ({ unique, indexes }: Table): Pick<Table, 'unique' | 'indexes'> => ({
    unique: unique.map(({ name, columns, descending }) => ({ name, columns, descending })),
    indexes,
  });
  return createIndexes({ ...table, ...plain(table) }, had && plain(had));
};

function rebuild({ carried, after, columns }: TableChange, landed: ReadonlySet<Column>): string[] {
  const made = shortName(`vantfell_new_${after.name}`);
  const filled = columns.flatMap((column): [string, string][] => {
    const value = valueText(column, landed);
    return column.after === undefined || column.after.found?.isMade === true || value === undefined
      ? []
      : [[name(column.after.name), value]];
  });
  const beside = (carried.beside?.columns ?? []).filter(
    (column) => !column.isMade && isIn(column, after.beside?.columns ?? []),
  );
  filled.push(...beside.map((column): [string, string] => [name(column.name), name(column.name)]));
  const [names, values] = [filled.map(([column]) => column), filled.map(([, value]) => value)];
  return [
    createTable(after, made),
    `INSERT INTO ${name(made)} (${names.join(', ')})\n  SELECT ${values.join(', ')}\n  FROM ${name(carried.name)}`,
    ...(after.columns.some(({ serial }) => serial) ? keepNumbering(carried.name, made) : []),
    `DROP TABLE ${name(carried.name)}`,
    `ALTER TABLE ${name(made)} RENAME TO ${name(after.name)}`,
    ...makeIndexes(after),
  ];
}

/** Numbers that were given once are not given again, even where their records are gone. */
const keepNumbering = (from: string, to: string): string[] => [
  `DELETE FROM sqlite_sequence WHERE name = ${quoteText(to)}`,
  'INSERT INTO sqlite_sequence (name, seq) ' +
    `SELECT ${quoteText(to)}, seq FROM sqlite_sequence ` +
    `WHERE name = ${quoteText(from)}`,
];

/** What a row of the new table gets, from the row of the old one; undefined where that is nothing. */
function valueText({ before, after, fill }: ColumnChange, landed: ReadonlySet<Column>): string | undefined {
  if (after === undefined) return undefined;
  if (before === undefined) {
    const given = fill === undefined ? undefined : fillText(after, fill);
    if (!landed.has(after)) return given;
    return given === undefined ? name(after.name) : `coalesce(${name(after.name)}, ${given})`;
  }
  return newValue(before, after, name(before.name), fill, conversions);
}
