import { BACK } from '../../core/tables/ddl.ts';
import type { Ddl } from '../../core/tables/ddl.ts';
import { shortName } from '../../core/tables/names.ts';
import { isIn, isUnchanged } from '../../core/tables/schema-diff.ts';
import type { ColumnChange, Rename, SchemaDiff, TableChange } from '../../core/tables/schema-diff.ts';
import { keptChecks } from '../../core/tables/table.ts';
import type { Column, Index, Reference, Table } from '../../core/tables/table.ts';
import {
  checksOfBoth,
  goneReferences,
  keptReferences,
  madeName,
  newReferences,
  referenceName,
} from '../sql/constraints.ts';
import type { Named } from '../sql/constraints.ts';
import { newValue } from '../sql/converted.ts';
import type { ConversionSpelling } from '../sql/converted.ts';
import { countSql } from '../sql/count.ts';
import { moveSql } from '../sql/move.ts';
import { hasOtherForm } from '../sql/found.ts';
import { quoteName as name, quoteText } from '../sql/quote.ts';
import { rememberedSql } from '../sql/remembered.ts';
import { goneIndexes, passage, renameText } from '../sql/tables.ts';
import { mariadbForms } from './forms.ts';
import { asText, castTo, converted, inside } from './convert.ts';
import * as sql from './tables.ts';

const conversions: ConversionSpelling = {
  forms: mariadbForms,
  converted,
  check: sql.checkText,
  text: asText,
  fill: sql.fillText,
  // No value of the type, and so an error. Another type would make other values of those beside it.
  failure: (to, x) =>
    castTo(to, `CONCAT(${x}, ' does not fit')`) ?? `CONCAT(CAST(CONCAT(${x}, ' does not fit') AS DOUBLE))`,
};

/** A statement, and the one that takes it back: written before it, because the two are kept apart. */
const undoable = (statement: string, back: string): string =>
  // A remark ends with its line.
  back.includes('\n') ? statement : `${BACK}${back}\n${statement}`;

/** What changes nothing that is not taken back with what it was put into. */
const harmless = (statement: string): string => undoable(statement, 'nothing');

/**
 * MariaDB keeps every statement on tables by itself, so what loses something comes last: until then, all that a
 * statement that fails has before it can be taken back.
 */
export const mariadbDdl: Ddl = {
  diff(plan) {
    const { renames, created, views, changed, moves, remembered, dropped } = plan;
    const spell = { ...conversions, uuid: 'uuid()' };
    const isMade = (statement: string): boolean => statement.startsWith('INSERT');
    return [
      passage(
        'new names',
        renames.map((rename) => undoable(renameText(rename), renameText(turned(rename)))),
      ),
      passage('rules that go', [...freed(plan), ...changed.flatMap(removals)]),
      ...created.map((table) =>
        passage(`a new table for ${table.of}`, [undoable(sql.createTable(table), `DROP TABLE ${name(table.name)}`)]),
      ),
      ...changed.map((change) => passage(`${change.after.of}: new columns`, additions(change))),
      passage(
        'values that move',
        moves
          .flatMap((move) => moveSql(move, spell))
          .map((one) => (isMade(one) ? undoable(one, emptied(one)) : harmless(one))),
      ),
      ...changed.map((change) => passage(change.after.of, changeStatements(change))),
      passage('indexes', changed.flatMap(indexStatements)),
      passage('rules', changed.flatMap(newChecks)),
      passage('references', [
        ...created.flatMap((table) => table.references.map((reference) => addReference(table, reference))),
        ...changed.flatMap((change) => newReferences(change).map((one) => addReference(change.after, one))),
      ]),
      passage('what is remembered by those names', rememberedSql(remembered, inside)),
      passage('what goes', [...changed.flatMap(losses), ...dropped.map((table) => `DROP TABLE ${name(table.name)}`)]),
      passage(
        'views',
        views.map((table) => undoable(table.view!, `DROP VIEW ${name(table.name)}`)),
      ),
    ].filter(({ statements }) => statements.length > 0);
  },

  createIfMissing: (table) => sql.createTable(table, 'CREATE TABLE IF NOT EXISTS'),
  fillFromJson: ({ name: table, columns }) => {
    const given = ({ type }: Column): string => (type === 'boolean' ? 'TINYINT' : 'LONGTEXT CHARACTER SET utf8mb4');
    const paths = columns.map((one) => `${name(one.name)} ${given(one)} PATH ${quoteText(`$.${one.name}`)}`);
    return `INSERT INTO ${name(table)} SELECT * FROM JSON_TABLE(?1, '$[*]' COLUMNS (${paths.join(', ')})) AS given`;
  },
  empty: (tables) => unchecked(tables.map((table) => `TRUNCATE TABLE ${name(table)}`)),
  drop: (tables) => unchecked([`DROP TABLE IF EXISTS ${tables.map(name).join(', ')}`]),
  count: (affected) => countSql(affected, conversions, inside),
};

/** Statements that need not mind references. */
const unchecked = (statements: readonly string[]): string =>
  ['SET foreign_key_checks = 0', ...statements, 'SET foreign_key_checks = 1'].join(';\n');

const turned = ({ table, from, to }: Rename): Rename => ({
  ...(table === undefined ? {} : { table }),
  from: to,
  to: from,
});

/** Takes out what was put into a new table, so that those who refer to it can go. */
const emptied = (insert: string): string => `DELETE FROM ${/"(?:[^"]|"")+"/.exec(insert)![0]}`;

const addReference = (table: Table, reference: Reference): string =>
  undoable(
    sql.addReference(table, reference),
    sql.alter(table, `DROP FOREIGN KEY ${name(referenceName(table.name, reference))}`),
  );

const dropReference = (table: Table, reference: Reference, made: string): string =>
  undoable(
    sql.alter(table, `DROP FOREIGN KEY ${name(made)}`),
    sql.alter(table, `ADD ${sql.referenceText(table, reference, made)}`),
  );

/** References of tables that go: their names are free then, and the order in which the tables go is all the same. */
const freed = ({ dropped, standing }: SchemaDiff): string[] =>
  dropped.flatMap((table) => {
    const was = standing.get(table.name);
    return table.references.map((reference, at) => {
      const made = was === undefined ? referenceName(table.name, reference) : madeName(was, at);
      return dropReference(table, reference, made);
    });
  });

const withCheck = (column: Column, { named, check }: Named): string =>
  `ADD CONSTRAINT ${name(named)} CHECK (${sql.checkText(column, check, name(column.name))})`;

/** Whether a column gets other values, and is made anew for that: the old ones stay until the end. */
const isRemade = ({ before, after, conversion }: ColumnChange): boolean =>
  before !== undefined && after !== undefined && (conversion !== 'same' || hasOtherForm(before, after));

const typeOf = ({ carried }: TableChange, column: Column): string => sql.columnType(carried, column);
const typeIn = ({ after }: TableChange, column: Column): string => sql.columnType(after, column);

/** References, checks and indexes that stand in the way, by the names that they were made with. */
function removals(change: TableChange): string[] {
  const { carried, after } = change;
  return [
    ...goneReferences(change).map((at) => dropReference(after, carried.references[at]!, madeName(change, at))),
    ...change.columns.flatMap((column) =>
      checksOfBoth(change, column, isRemade(column)).gone.map((one) =>
        undoable(
          sql.alter(after, `DROP CONSTRAINT ${name(one.named)}`),
          sql.alter(after, withCheck(column.before!, one)),
        ),
      ),
    ),
    ...standingIndexes(change).gone.map((index) =>
      undoable(
        sql.alter(after, `DROP INDEX ${name(index.name)}`),
        sql.alter(after, `ADD ${sql.indexText(carried, index)}`),
      ),
    ),
  ];
}

/** Which indexes go at once, and which in the moment that others take their place: a reference needs them. */
function standingIndexes(change: TableChange): { gone: Index[]; replaced: Index[] } {
  const remade = change.columns.flatMap((column) => (isRemade(column) ? [column.after!.name] : []));
  const isOnRemade = ({ columns }: Index): boolean => columns.some((column) => remade.includes(column));
  const all = [...change.carried.unique, ...change.carried.indexes];
  const going = all.filter((index) => isOnRemade(index) || isIn(index, goneIndexes(change)));
  const kept = keptReferences(change);
  const isNeeded = ({ columns }: Index): boolean => kept.some(({ column }) => column === columns[0]);
  return { gone: going.filter((index) => !isNeeded(index)), replaced: going.filter(isNeeded) };
}

function indexStatements(change: TableChange): string[] {
  const { gone, replaced } = standingIndexes(change);
  const going = [...gone, ...replaced];
  const stay = [...change.carried.unique, ...change.carried.indexes].filter((index) => !isIn(index, going));
  const made = [...change.after.unique, ...change.after.indexes].filter((index) => !isIn(index, stay));
  if (replaced.length + made.length === 0) return [];
  const swap = (gone: readonly Index[], table: Table, come: readonly Index[]): string =>
    sql.alter(
      change.after,
      [
        ...gone.map((index) => `DROP INDEX ${name(index.name)}`),
        ...come.map((index) => `ADD ${sql.indexText(table, index)}`),
      ].join(', '),
    );
  return [undoable(swap(replaced, change.after, made), swap(made, change.carried, replaced))];
}

const newOf = (column: Column): string => shortName(`vantfell_new_${column.name}`);
const oldOf = (column: Column): string => shortName(`vantfell_old_${column.name}`);

const additions = (change: TableChange): string[] =>
  change.columns.flatMap((column) => {
    const { before, after } = column;
    if (after === undefined) return [];
    const isNew = before === undefined;
    if (!isNew && !isRemade(column)) return [];
    const added = isNew ? after : { ...after, name: newOf(after), usual: undefined };
    const made = sql.wholeColumn(change.after, added, true, typeIn(change, after));
    const gone = sql.alter(change.after, `DROP COLUMN ${name(added.name)}`);
    return [undoable(sql.alter(change.after, `ADD COLUMN ${made}`), gone)];
  });

function changeStatements(change: TableChange): string[] {
  const { after: table, carried } = change;
  return change.columns.flatMap((column) => {
    const { before, after, fill } = column;
    if (after === undefined) return [];
    if (isRemade(column)) return remadeStatements(change, column);
    if (isUnchanged(column) && typeOf(change, before!) === typeIn(change, after)) return [];
    const statements: string[] = [];
    const was = before === undefined ? sql.wholeColumn(table, after, true) : sql.wholeColumn(carried, before);
    const becomes = (definition: string, from: string): string[] =>
      definition === from ? [] : modify(table, definition, from);
    let now = was;
    if (fill !== undefined) {
      const isWider = before !== undefined && widthOf(typeIn(change, after)) > widthOf(typeOf(change, before));
      const wide = isWider ? sql.wholeColumn(table, after, true) : was;
      statements.push(
        ...becomes(wide, was),
        ...fillStatements(table, column, name(after.name), sql.fillText(after, fill)),
      );
      now = wide;
    }
    return [...statements, ...becomes(sql.wholeColumn(table, after), now)];
  });
}

function remadeStatements({ after: table }: TableChange, column: ColumnChange): string[] {
  const [before, after] = [column.before!, column.after!];
  const [x, made, old] = [after.name, newOf(after), oldOf(after)].map(name) as [string, string, string];
  const value = newValue(before, after, name(before.name), column.fill, conversions);
  const given = column.fill === undefined ? [] : fillStatements(table, column, made, sql.fillText(after, column.fill));
  const bare = sql.wholeColumn(table, { ...after, usual: undefined }, true);
  return [
    harmless(`UPDATE ${name(table.name)} SET ${made} = ${value}`),
    ...given,
    undoable(
      sql.alter(table, `RENAME COLUMN ${x} TO ${old}, RENAME COLUMN ${made} TO ${x}`),
      sql.alter(table, `RENAME COLUMN ${x} TO ${made}, RENAME COLUMN ${old} TO ${x}`),
    ),
    ...(bare === sql.wholeColumn(table, after) ? [] : modify(table, sql.wholeColumn(table, after), bare)),
  ];
}

/** A key may have others that refer to it: what they are told by stays the same. */
const modify = (table: Table, definition: string, was: string): string[] => [
  'SET foreign_key_checks = 0',
  undoable(sql.alter(table, `MODIFY COLUMN ${definition}`), sql.alter(table, `MODIFY COLUMN ${was}`)),
  'SET foreign_key_checks = 1',
];

const widthOf = (type: string): number => Number(/^varchar\((\d+)\)$/.exec(type)?.[1] ?? Infinity);

/**
 * New columns and columns that may be null no more get the value where there is none; others where a new rule is
 * broken.
 */
function fillStatements(table: Table, { before, after }: ColumnChange, x: string, given: string): string[] {
  const broken =
    before === undefined ? [] : keptChecks(after!).map((check) => `NOT (${sql.checkText(after!, check, x)})`);
  const empty = before === undefined || !after!.nullable ? [`${x} IS NULL`] : [];
  const where = [...empty, ...broken];
  if (where.length === 0) return [];
  return [harmless(`UPDATE ${name(table.name)} SET ${x} = ${given} WHERE ${where.join(' OR ')}`)];
}

const newChecks = (change: TableChange): string[] =>
  change.columns.flatMap((column) => {
    const { after } = column;
    if (after === undefined) return [];
    return checksOfBoth(change, column, isRemade(column)).made.map((one) =>
      undoable(
        sql.alter(change.after, withCheck(after, one)),
        sql.alter(change.after, `DROP CONSTRAINT ${name(one.named)}`),
      ),
    );
  });

/** The columns that go, and what remade ones were. */
const losses = (change: TableChange): string[] =>
  change.columns.flatMap((column) => {
    const { before, after } = column;
    if (after === undefined) return [sql.alter(change.after, `DROP COLUMN ${name(before!.name)}`)];
    return isRemade(column) ? [sql.alter(change.after, `DROP COLUMN ${name(oldOf(after))}`)] : [];
  });
