import { createHash } from 'node:crypto';
import { statementsOf } from '../../core/migrations/ends-transaction.ts';
import type { HalfDone } from '../../core/store/contract.ts';
import { stateTable } from '../../core/tables/own-tables.ts';
import { quoteName } from '../sql/quote.ts';
import { askOn, command } from './ask.ts';
import type { Client } from './ask.ts';

/*
 * MariaDB keeps each statement on tables at once. So how far a script has come is written down: beside what a statement
 * does to rows in the same transaction, and before one on tables with what the table was like, by which it can be told
 * afterwards whether the statement was done.
 */

/** How far a script has come. */
export interface Progress {
  readonly name: string;
  readonly script: string;
  readonly done: number;
  /** What the table was like before the statement that was begun. */
  readonly begun?: string | undefined;
  /** It is being taken back. */
  readonly isBack?: boolean;
}

/** The row of the table of states. */
const ROW = 'half done';
const [state, name, value] = [stateTable.name, 'name', 'value'].map(quoteName);

/** What is written down; of a statement that was begun nobody knows yet whether it was done. */
async function readProgress(client: Client): Promise<Progress | undefined> {
  const there = await askOn(client, {
    text: 'SELECT 1 FROM information_schema.TABLES WHERE TABLE_SCHEMA = database() AND TABLE_NAME = ?',
    values: [stateTable.name],
  });
  if (there.rowCount === 0) return undefined;
  const { rows } = await askOn(client, { text: `SELECT ${value} FROM ${state} WHERE ${name} = ?`, values: [ROW] });
  return rows[0] === undefined ? undefined : (JSON.parse(String(rows[0][0])) as Progress);
}

/** How far a script has come that was broken off; undefined where no statement of one stands. */
export async function standingProgress(client: Client): Promise<Progress | undefined> {
  const noted = await readProgress(client);
  if (noted === undefined) return undefined;
  const { done, begun, script } = noted;
  const next = statementsOf(script)[done];
  // It was done if its table is not what it was.
  const isDone = begun !== undefined && next !== undefined && (await stateBefore(client, next)) !== begun;
  const settled = isDone ? done + 1 : done;
  return settled === 0 ? undefined : { ...noted, done: settled, begun: undefined };
}

export async function writeProgress(client: Client, progress: Progress | undefined): Promise<void> {
  await askOn(client, { text: `DELETE FROM ${state} WHERE ${name} = ?`, values: [ROW] });
  if (progress === undefined) return;
  const text = `INSERT INTO ${state} (${name}, ${value}) VALUES (?, ?)`;
  await askOn(client, { text, values: [ROW, JSON.stringify(progress)] });
}

/** What is done to tables ends the transaction; all else is kept with it. */
export const isOnTables = (statement: string): boolean =>
  /^(CREATE|ALTER|DROP|RENAME|TRUNCATE)\b(?!\s+TEMPORARY\b)/i.test(codeStart(statement));

/** It is of the connection alone: another one needs it again. */
export const isSetting = (statement: string): boolean => /^SET\b/i.test(codeStart(statement));

/** A statement without the remarks before it. */
export const codeStart = (statement: string): string => statement.replace(/^(?:\s+|--[^\n]*\n?|\/\*[^]*?\*\/)*/, '');

/** What stands before the name of the one table that a statement is about. */
const ABOUT = ['CREATE TABLE(?: IF NOT EXISTS)?', 'ALTER TABLE', 'DROP TABLE', 'CREATE (?:UNIQUE )?INDEX "[^"]+" ON'];
const TABLE = new RegExp(`^(?:${ABOUT.join('|').replaceAll(' ', '\\s+')})\\s+"([^"]+)"(?!\\s*,)`, 'i');

/** What a statement on tables changes: that of its table, or of all there is where it is not told which. */
export async function stateBefore(client: Client, statement: string): Promise<string> {
  const table = TABLE.exec(codeStart(statement))?.[1];
  const texts = table === undefined ? await allOf(client) : [await madeBy(client, table)];
  return createHash('sha256').update(texts.join('\n')).digest('hex').slice(0, 16);
}

/** The statement that would make a table; empty where there is none. */
export const madeBy = (client: Client, table: string): Promise<string> =>
  command(client, `SHOW CREATE TABLE ${quoteName(table)}`).then(
    // The next number is none of the table's parts.
    ({ rows }) => String(rows[0]![1]).replace(/ AUTO_INCREMENT=\d+/, ''),
    (error: unknown) => {
      if ((error as { errno?: number }).errno === 1146) return '';
      throw error;
    },
  );

export const tableNames = async (client: Client): Promise<string[]> =>
  (await command(client, "SHOW FULL TABLES WHERE Table_type = 'BASE TABLE'")).rows.map(([table]) => String(table));

async function allOf(client: Client): Promise<string[]> {
  const tables = await Promise.all((await tableNames(client)).map((table) => madeBy(client, table)));
  const of = (what: string, called: string, code: string, place: string): string =>
    `SELECT ${called}, ${code} FROM information_schema.${what} WHERE ${place} = database() ORDER BY 1`;
  const others = [
    of('VIEWS', 'TABLE_NAME', 'VIEW_DEFINITION', 'TABLE_SCHEMA'),
    of('TRIGGERS', 'TRIGGER_NAME', 'ACTION_STATEMENT', 'TRIGGER_SCHEMA'),
    of('ROUTINES', 'SPECIFIC_NAME', 'ROUTINE_DEFINITION', 'ROUTINE_SCHEMA'),
  ];
  const rows = await Promise.all(others.map((text) => command(client, text)));
  return [...tables, ...rows.map((found) => JSON.stringify(found.rows))];
}

export const halfDoneOf = ({ name: called, script, done, isBack = false }: Progress): HalfDone => ({
  name: called,
  script,
  done,
  of: statementsOf(script).length,
  isBack,
});
