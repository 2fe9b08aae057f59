import type Database from 'libsql';
import { otherTables } from '../../core/store/contract.ts';
import { allLetters } from '../../core/expression/letters.ts';
import { lettersTable } from '../../core/tables/own-tables.ts';
import { difference, stepInWords } from '../../core/tables/difference.ts';
import type { Table } from '../../core/tables/table.ts';
import { storeError } from './errors.ts';
import { statementsOf } from './tables.ts';

type Connection = InstanceType<typeof Database>;

/**
 * Brings the file's tables to what the models want, where that loses nothing, and says in words what was done. The
 * database remembers a picture of its tables, those that no model wants any more included.
 */
export function follow(connection: Connection, file: string, tables: readonly Table[]): string[] {
  try {
    connection.exec(
      'CREATE TABLE IF NOT EXISTS vantfell_state (name TEXT PRIMARY KEY NOT NULL, value TEXT NOT NULL) STRICT',
    );
    connection.exec('BEGIN IMMEDIATE');
    try {
      const done = bring(connection, file, tables);
      connection.exec('COMMIT');
      return done;
    } catch (error) {
      connection.exec('ROLLBACK');
      throw error;
    }
  } catch (error) {
    throw storeError(error, file);
  }
}

function bring(connection: Connection, file: string, tables: readonly Table[]): string[] {
  const before = picture(connection) ?? '[]';
  const standing = JSON.parse(before) as Table[];
  const { steps, obstacles } = difference(standing, tables);
  for (const step of steps) {
    if (step.kind === 'create-table' && exists(connection, step.table.name)) {
      throw otherTables(file, [`the table ${step.table.name} is there already, and this tool did not make it`]);
    }
  }
  if (obstacles.length > 0) throw otherTables(file, obstacles);
  for (const step of steps) {
    for (const statement of statementsOf(step)) connection.exec(statement);
    if (step.kind === 'create-table' && step.table.name === lettersTable.name) fillLetters(connection);
  }

  const left = standing.filter((old) => !tables.some((table) => table.name === old.name));
  const after = JSON.stringify([...tables, ...left]);
  if (after !== before) {
    connection
      .prepare(
        "INSERT INTO vantfell_state VALUES ('tables', ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value",
      )
      .run([after]);
  }
  return steps.map(stepInWords).filter((words) => words !== undefined);
}

function fillLetters(connection: Connection): void {
  const columns = lettersTable.columns.map(({ name }) => name);
  const values = columns.map((name) => `value ->> '${name}'`).join(', ');
  // One statement for all of them, and one parameter: a database is made in a moment, tests make many.
  connection
    .prepare(`INSERT INTO ${lettersTable.name} (${columns.join(', ')}) SELECT ${values} FROM json_each(?)`)
    .run([JSON.stringify([...allLetters().values()])]);
}

function picture(connection: Connection): string | undefined {
  const row = connection.prepare("SELECT value FROM vantfell_state WHERE name = 'tables'").raw(true).get([]) as
    [string] | undefined;
  return row?.[0];
}

const exists = (connection: Connection, table: string): boolean =>
  connection
    .prepare("SELECT 1 FROM sqlite_schema WHERE type = 'table' AND lower(name) = lower(?)")
    .raw(true)
    .get([table]) !== undefined;
