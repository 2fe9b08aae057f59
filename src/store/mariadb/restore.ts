import type { StoreValue } from '../../core/sql/statement.ts';
import { CHANGED, COPY } from '../sql/changed-rows.ts';
import type { CopiedTable, RestoreConnection } from '../sql/changed-rows.ts';
import { quoteName } from '../sql/quote.ts';
import { readAddress } from './address.ts';
import { command } from './ask.ts';
import { connected } from './connected.ts';
import { settingsOf } from './pools.ts';

/** A reference by which rows of another table change along. */
interface Along {
  readonly table: string;
  readonly column: string;
  readonly of: string;
}

/** A connection that puts rows of a throwaway database back. */
export async function restoreOn(address: string): Promise<RestoreConnection> {
  const client = await connected({
    ...settingsOf(readAddress(address), ['SET SESSION foreign_key_checks = 0']),
    multipleStatements: true,
  });
  const rows = async (sql: string): Promise<readonly (readonly StoreValue[])[]> => (await command(client, sql)).rows;
  const along = (await rows(ALONG)).map(([table, column, of]): Along => ({
    table: String(table),
    column: String(column),
    of: String(of),
  }));
  const keys = new Map<string, readonly string[]>();
  return {
    isFree: true,
    async tables() {
      for (const [table, column] of await rows(KEYS)) {
        keys.set(String(table), [...(keys.get(String(table)) ?? []), String(column)]);
      }
      return [...keys].map(([name, key]) => ({ name, key }));
    },
    watch: watchOf,
    aside: (changed) => {
      const name = `aside_${changed}`.slice(0, 64);
      const keys = `SELECT DISTINCT * FROM ${quoteName(changed)}`;
      return { statement: `CREATE OR REPLACE TEMPORARY TABLE ${quoteName(name)} AS ${keys}`, name };
    },
    // Triggers are not told of what a reference changes.
    unwatched: (names) => reached(names, along).flatMap((one) => putBack(one, keys.get(one.table)!)),
    async run(script) {
      await command(client, `START TRANSACTION;\n${script};\nCOMMIT`);
    },
    names: async (query) => (await rows(query)).map(([name]) => String(name)),
    close: () => new Promise((resolve) => client.end(() => resolve())),
  };
}

/**
 * Tables with the columns of their keys; a row of a table without a key is known by all of itself that is never null:
 * null equals nothing. Where there is no primary key, the server calls a unique one of full columns so.
 */
const KEYS = `SELECT c.TABLE_NAME, c.COLUMN_NAME FROM information_schema.COLUMNS AS c
  JOIN information_schema.TABLES AS t ON t.TABLE_SCHEMA = c.TABLE_SCHEMA AND t.TABLE_NAME = c.TABLE_NAME
  WHERE c.TABLE_SCHEMA = database() AND t.TABLE_TYPE = 'BASE TABLE' AND (c.COLUMN_KEY = 'PRI' OR (
    NOT EXISTS (
      SELECT 1 FROM information_schema.COLUMNS AS p WHERE p.TABLE_SCHEMA = c.TABLE_SCHEMA
        AND p.TABLE_NAME = c.TABLE_NAME AND p.COLUMN_KEY = 'PRI'
    ) AND (c.IS_NULLABLE = 'NO' OR NOT EXISTS (
      SELECT 1 FROM information_schema.COLUMNS AS f WHERE f.TABLE_SCHEMA = c.TABLE_SCHEMA
        AND f.TABLE_NAME = c.TABLE_NAME AND f.IS_NULLABLE = 'NO'
    ))
  )) ORDER BY c.TABLE_NAME, c.ORDINAL_POSITION`;

const ALONG = `SELECT k.TABLE_NAME, k.COLUMN_NAME, k.REFERENCED_TABLE_NAME
  FROM information_schema.KEY_COLUMN_USAGE AS k JOIN information_schema.REFERENTIAL_CONSTRAINTS AS r
    ON r.CONSTRAINT_SCHEMA = k.CONSTRAINT_SCHEMA AND r.CONSTRAINT_NAME = k.CONSTRAINT_NAME
  WHERE k.CONSTRAINT_SCHEMA = database() AND r.DELETE_RULE IN ('CASCADE', 'SET NULL')`;

/** The references along which changes of some tables go on. */
function reached(names: readonly string[], along: readonly Along[]): Along[] {
  const tables = new Set(names);
  const found = new Set<Along>();
  for (let size = -1; size !== found.size;) {
    size = found.size;
    for (const one of along) {
      if (!tables.has(one.of)) continue;
      found.add(one);
      tables.add(one.table);
    }
  }
  return [...found];
}

/** Rows that went along with others, and those whose reference was cleared. */
function putBack({ table, column }: Along, key: readonly string[]): string[] {
  const [name, copy] = [table, COPY + table].map(quoteName) as [string, string];
  const same = key.map((one) => `t.${quoteName(one)} = k.${quoteName(one)}`).join(' AND ');
  const [now, was] = [`t.${quoteName(column)}`, `k.${quoteName(column)}`];
  return [
    `UPDATE ${name} AS t JOIN ${copy} AS k ON ${same} SET ${now} = ${was} WHERE NOT (${now} <=> ${was})`,
    `INSERT INTO ${name} SELECT k.* FROM ${copy} AS k WHERE NOT EXISTS (SELECT 1 FROM ${name} AS t WHERE ${same})`,
    // Putting rows back changes them, too.
    `DELETE FROM ${quoteName(CHANGED + table)}`,
  ];
}

function watchOf({ name, key }: CopiedTable, into: string): string {
  const values = (row: 'OLD' | 'NEW'): string => key.map((column) => `${row}.${quoteName(column)}`).join(', ');
  const note = (row: 'OLD' | 'NEW'): string => `INSERT INTO ${quoteName(into)} VALUES (${values(row)});`;
  const trigger = (on: string, body: string): string =>
    `CREATE TRIGGER ${quoteName(`${into}_${on}`.slice(-64))} AFTER ${on} ON ${quoteName(name)} ` +
    `FOR EACH ROW BEGIN ${body} END`;
  return [
    trigger('INSERT', note('NEW')),
    trigger('UPDATE', note('OLD') + note('NEW')),
    trigger('DELETE', note('OLD')),
  ].join(';\n');
}
