import type { Ddl } from '../../core/tables/ddl.ts';
import { shortName } from '../../core/tables/names.ts';
import { isUnchanged } from '../../core/tables/schema-diff.ts';
import type { ColumnChange, TableChange } from '../../core/tables/schema-diff.ts';
import { keptChecks } from '../../core/tables/table.ts';
import type { Column, Table } from '../../core/tables/table.ts';
import { checksOfBoth, goneReferences, madeName, newReferences } from '../sql/constraints.ts';
import { newValue } from '../sql/converted.ts';
import type { ConversionSpelling } from '../sql/converted.ts';
import { hasOtherForm } from '../sql/found.ts';
import { countSql } from '../sql/count.ts';
import { moveSql } from '../sql/move.ts';
import { quoteName as name, quoteText } from '../sql/quote.ts';
import { rememberedSql } from '../sql/remembered.ts';
import { createIndexes, dropIndex, goneIndexes, passage, renameText } from '../sql/tables.ts';
import { asText, converted, inside } from './convert.ts';
import { postgresForms } from './forms.ts';
import * as sql from './tables.ts';

const conversions: ConversionSpelling = {
  forms: postgresForms,
  converted,
  check: sql.checkText,
  text: asText,
  fill: sql.fillText,
  // No JSON, and so an error.
  failure: (to, x) => `((${x})::text || ' does not fit')::json::text::${sql.columnType(to)}`,
};

export const postgresDdl: Ddl = {
  diff({ renames, created, views, changed, moves, remembered, dropped }) {
    const spell = { ...conversions, uuid: 'gen_random_uuid()' };
    const gone = dropped.map((table) => name(table.name));
    return [
      passage('new names', renames.map(renameText)),
      passage('rules that go', changed.flatMap(removals)),
      passage(
        'types',
        typesOf(created).map(([type, labels]) => `CREATE TYPE ${type} AS ENUM (${labels})`),
      ),
      ...created.map((table) => passage(`a new table for ${table.of}`, [sql.createTable(table)])),
      ...changed.map((change) => passage(`${change.after.of}: new columns`, additions(change))),
      passage(
        'values that move',
        moves.flatMap((move) => moveSql(move, spell)),
      ),
      ...changed.map((change) => passage(change.after.of, changeStatements(change))),
      passage('what is remembered by those names', rememberedSql(remembered, inside)),
      passage('tables that go', gone.length === 0 ? [] : [`DROP TABLE ${gone.join(', ')}`]),
      passage(
        'types that go',
        typesOf(dropped).map(([type]) => `DROP TYPE ${type}`),
      ),
      passage('indexes', [
        ...created.flatMap((table) => createIndexes(table)),
        ...changed.flatMap(({ carried, after }) => createIndexes(after, carried)),
      ]),
      passage('rules', changed.flatMap(newChecks)),
      passage('references', [
        ...created.flatMap((table) => table.references.map((reference) => sql.addReference(table, reference))),
        ...changed.flatMap((change) => newReferences(change).map((one) => sql.addReference(change.after, one))),
      ]),
      passage(
        'views',
        views.map(({ view }) => view!),
      ),
    ].filter(({ statements }) => statements.length > 0);
  },

  createIfMissing: (table) =>
    [sql.createTable(table).replace('CREATE TABLE', 'CREATE TABLE IF NOT EXISTS'), ...createIndexes(table)].join(';\n'),
  fillFromJson: ({ name: table }) =>
    `INSERT INTO ${name(table)} SELECT * FROM json_populate_recordset(NULL::${name(table)}, $1)`,
  empty: (tables) => `TRUNCATE ${tables.map(name).join(', ')}`,
  drop: (tables) => `DROP TABLE IF EXISTS ${tables.map(name).join(', ')}`,
  count: (affected) => countSql(affected, conversions, inside),
};

/** Types that are lists of values, and have names: they come and go with the tables that were found with them. */
function typesOf(tables: readonly Table[]): [string, string][] {
  const all = tables.flatMap(({ columns }) =>
    columns.flatMap(({ found }) => (found?.labels === undefined ? [] : [found])),
  );
  return [...new Map(all.map(({ type, labels }) => [type, labels!.map(quoteText).join(', ')]))];
}

const alter = (table: Table, what: string): string => `ALTER TABLE ${name(table.name)} ${what}`;

/** The checks of a column: those of another type are other ones. */
const checksIn = (change: TableChange, column: ColumnChange): ReturnType<typeof checksOfBoth> => {
  const { before, after } = column;
  const isRetyped = before !== undefined && after !== undefined && sql.columnType(before) !== sql.columnType(after);
  return checksOfBoth(change, column, isRetyped);
};

/** References, checks and indexes that stand in the way, by the names that they were made with. */
function removals(change: TableChange): string[] {
  const { after } = change;
  const dropConstraint = (constraint: string): string => alter(after, `DROP CONSTRAINT ${name(constraint)}`);
  const references = goneReferences(change).map((at) => madeName(change, at));
  const checks = change.columns
    // What is a column's own goes with it.
    .filter((column) => column.before !== undefined && column.after !== undefined)
    .flatMap((column) => checksIn(change, column).gone.map(({ named }) => named));
  const indexes = goneIndexes(change);
  const rules = indexes.filter(({ isRule }) => isRule).map((index) => index.name);
  const others = indexes.filter(({ isRule }) => !isRule);
  return [...[...references, ...checks, ...rules].map(dropConstraint), ...others.map(dropIndex)];
}

const additions = ({ after, columns }: TableChange): string[] =>
  columns
    .filter(({ before }) => before === undefined)
    .map((column) => alter(after, `ADD COLUMN ${sql.bareColumn(column.after!)}`));

function changeStatements({ after: table, columns }: TableChange): string[] {
  return columns
    .filter((column) => !isUnchanged(column))
    .flatMap((column) => {
      const { before, after, fill } = column;
      if (after === undefined) return [alter(table, `DROP COLUMN ${name(before!.name)}`)];
      const x = name(after.name);
      const given = fill === undefined ? undefined : sql.fillText(after, fill);
      const statements: string[] = [];
      if (before !== undefined) statements.push(...typeStatements(table, column as Staying));
      if (given !== undefined) statements.push(...fillStatements(table, column, x, given));
      if (!after.nullable && before?.nullable !== false)
        statements.push(alter(table, `ALTER COLUMN ${x} SET NOT NULL`));
      if (after.nullable && before?.nullable === false)
        statements.push(alter(table, `ALTER COLUMN ${x} DROP NOT NULL`));
      return statements;
    });
}

type Staying = ColumnChange & { readonly before: Column; readonly after: Column };

function typeStatements(table: Table, { before, after, fill, conversion }: Staying): string[] {
  const x = name(after.name);
  const column = (what: string): string => alter(table, `ALTER COLUMN ${x} ${what}`);
  const [old, made] = [before.found, after.found];
  // What was found beside its type is in the way of another type, and is no part of a column of the tool's own.
  const goes = old !== undefined && made === undefined ? (old.isMade ? 'DROP EXPRESSION' : 'DROP DEFAULT') : undefined;
  const comes = old === undefined ? made?.more : undefined;
  return [
    ...(goes === undefined || old!.more === undefined ? [] : [column(goes)]),
    ...valueStatements(table, { before, after, fill, conversion, moved: false }),
    ...usualStatements(table, before, after),
    ...(comes?.startsWith('DEFAULT') ? [column(`SET ${comes}`)] : []),
  ];
}

function valueStatements(table: Table, { before, after, fill, conversion }: Staying): string[] {
  const x = name(after.name);
  const value = newValue(before, after, x, fill, conversions);
  if (value.includes('SELECT') && hasOtherForm(before, after)) {
    // Subqueries, which ALTER has no room for.
    const made = name(shortName(`vantfell_new_${after.name}`));
    return [
      alter(table, `ADD COLUMN ${made} ${sql.columnType(after)}`),
      `UPDATE ${name(table.name)} SET ${made} = ${value}`,
      alter(table, `DROP COLUMN ${x}`),
      alter(table, `RENAME COLUMN ${made} TO ${x}`),
      ...(after.nullable ? [] : [alter(table, `ALTER COLUMN ${x} SET NOT NULL`)]),
    ];
  }
  if (sql.columnType(before) !== sql.columnType(after) || hasOtherForm(before, after))
    return [alter(table, `ALTER COLUMN ${x} TYPE ${sql.columnType(after)} USING ${value}`)];
  // The same holds of what goes through the insides of values.
  return conversion === 'checked' ? [`UPDATE ${name(table.name)} SET ${x} = ${value} WHERE ${x} IS NOT NULL`] : [];
}

function usualStatements(table: Table, before: Column, after: Column): string[] {
  if (JSON.stringify(before.usual) === JSON.stringify(after.usual)) return [];
  const set = after.usual === undefined ? 'DROP DEFAULT' : `SET DEFAULT ${sql.fillText(after, after.usual)}`;
  return [alter(table, `ALTER COLUMN ${name(after.name)} ${set}`)];
}

/**
 * New columns and columns that may be null no more get the value where there is none; others where a new rule is
 * broken.
 */
function fillStatements(table: Table, { before, after }: ColumnChange, x: string, given: string): string[] {
  const broken =
    before === undefined ? [] : keptChecks(after!).map((check) => `NOT (${sql.checkText(after!, check, x)})`);
  const empty = before === undefined || !after!.nullable ? [`${x} IS NULL`] : [];
  const where = [...empty, ...broken];
  return where.length === 0 ? [] : [`UPDATE ${name(table.name)} SET ${x} = ${given} WHERE ${where.join(' OR ')}`];
}

const newChecks = (change: TableChange): string[] =>
  change.columns.flatMap((column) => {
    const { after } = column;
    if (after === undefined) return [];
    return checksIn(change, column).made.map(({ check }) => sql.addCheck(change.after, after, check));
  });
