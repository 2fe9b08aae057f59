import { randomBytes } from 'node:crypto';
import type { ClientBase } from 'pg';
import { quoteText } from '../sql/quote.ts';

/*
 * A view that is read for its name alone: each migration that changes the tables gives it another. Statements name it
 * as a constant, so PostgreSQL looks for it when it plans them, and discards their plans once it is dropped. The check
 * costs nothing while the tables stand.
 */
const PREFIX = 'vantfell_tables_';

/** The name of the view; undefined where an older version of the tool has made no such thing yet. */
export async function heldName(client: ClientBase): Promise<string | undefined> {
  return (await heldNames(client))[0];
}

async function heldNames(client: ClientBase): Promise<string[]> {
  const views =
    'SELECT relname FROM pg_class WHERE relnamespace = ' +
    `current_schema()::regnamespace AND relkind = 'v' AND starts_with(relname, ` +
    `'${PREFIX}')`;
  return (await client.query<{ relname: string }>(views)).rows.map(({ relname }) => relname);
}

export async function moveOn(client: ClientBase): Promise<void> {
  for (const name of await heldNames(client)) await client.query(`DROP VIEW ${name}`);
  await client.query(`CREATE VIEW ${PREFIX}${randomBytes(8).toString('hex')} AS SELECT 1 AS one`);
}

const constant = (name: string): string => `${quoteText(name)}::regclass`;

/**
 * The same read, which fails once the tables have moved on. The name stands after what is read from: PostgreSQL looks
 * for it when it has the tables, for which it may have had to wait.
 */
export const heldRead = (name: string, sql: string): string =>
  /^\s*SELECT\b/i.test(sql) ? `SELECT held.* FROM (${sql}) AS held WHERE ${constant(name)} IS NOT NULL` : sql;

/** Whether the tables still stand: an error where they don't. */
export const heldCheck = (name: string): string => `SELECT ${constant(name)}`;

/**
 * What keeps a transaction, unless the tables have moved on before it had locks on those that it wrote to: so that
 * nothing else of it need look.
 */
export const heldCommit = (name: string): string => `${heldCheck(name)}; COMMIT`;

/** Whether an error says that there is no such view any more. */
export const saysMoved = (error: unknown): boolean => {
  const { code, message } = error as { code?: unknown; message?: unknown };
  return code === '42P01' && String(message).includes(PREFIX);
};
