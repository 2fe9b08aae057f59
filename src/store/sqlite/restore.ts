import { quoteName } from '../sql/quote.ts';
import type { CopiedTable, RestoreConnection } from '../sql/changed-rows.ts';
import { connect } from './connect.ts';

/** A connection that puts rows of a throwaway database back. */
export function restoreOn(address: string): RestoreConnection {
  const connection = connect(address.replace(/^sqlite:/, ''));
  connection.exec('PRAGMA foreign_keys = OFF');
  connection.exec('PRAGMA synchronous = OFF');
  connection.exec('PRAGMA busy_timeout = 5000');
  const all = (sql: string): unknown[][] => connection.prepare(sql).raw(true).all([]) as unknown[][];
  return {
    isFree: true,
    tables() {
      const tables = "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\'";
      return Promise.resolve(all(tables).map(([name]) => ({ name: String(name), key: keyOf(all, String(name)) })));
    },
    watch: watchOf,
    run: (script) => Promise.resolve(void connection.exec(`BEGIN IMMEDIATE;\n${script};\nCOMMIT`)),
    names: (query) => Promise.resolve(all(query).map(([name]) => String(name))),
    close: () => Promise.resolve(void connection.close()),
  };
}

function keyOf(all: (sql: string) => unknown[][], table: string): string[] {
  const from = `pragma_table_info('${table.replaceAll("'", "''")}')`;
  const columns = all(`SELECT name, pk, "notnull" FROM ${from} ORDER BY pk`);
  const key = columns.filter(([, position]) => Number(position) > 0);
  // A row of a table without a key is known by all of itself that is never null: null equals nothing.
  const full = columns.filter(([, , isFull]) => Number(isFull) > 0);
  return [key, full, columns].find((some) => some.length > 0)!.map(([name]) => String(name));
}

function watchOf({ name, key }: CopiedTable, into: string): string {
  const values = (row: 'OLD' | 'NEW'): string => key.map((column) => `${row}.${quoteName(column)}`).join(', ');
  const note = (row: 'OLD' | 'NEW'): string => `INSERT INTO ${quoteName(into)} VALUES (${values(row)});`;
  const trigger = (on: string, body: string): string =>
    `CREATE TRIGGER ${quoteName(`${into}_${on}`)} AFTER ${on} ON ${quoteName(name)} BEGIN ${body} END`;
  return [
    trigger('INSERT', note('NEW')),
    trigger('UPDATE', note('OLD') + note('NEW')),
    trigger('DELETE', note('OLD')),
  ].join(';\n');
}
