import { randomBytes } from 'node:crypto';
import type { ClientBase } from 'pg';
import { quoteText } from '../sql/quote.ts';

/*
 * For each version of the project that has been served, a view that is read for its name alone: it goes, and never
 * comes back under that name, once a migration makes tables that the version does not know. Statements name it as a
 * constant, so PostgreSQL looks for it when it plans them, and discards their plans once it is dropped. The check costs
 * nothing while the tables stand.
 */
const PREFIX = 'vantfell_tables_';

/** The views, and the version that each is of; an older version of the tool had one for all. */
async function heldNames(client: ClientBase): Promise<{ name: string; version: number | undefined }[]> {
  const views =
    'SELECT relname FROM pg_class WHERE relnamespace = ' +
    `quote_ident(current_schema())::regnamespace AND relkind = 'v' AND starts_with(relname, ` +
    `'${PREFIX}')`;
  return (await client.query<{ relname: string }>(views)).rows.map(({ relname: name }) => {
    const version = /^(\d+)_/.exec(name.slice(PREFIX.length))?.[1];
    return { name, version: version === undefined ? undefined : Number(version) };
  });
}

export async function letGo(client: ClientBase, isGone: (version: number) => boolean): Promise<void> {
  for (const { name, version } of await heldNames(client)) {
    if (version === undefined || isGone(version)) await client.query(`DROP VIEW ${name}`);
  }
}

/** The name of a version's view, which is made where there is none. */
export async function heldName(client: ClientBase, version: number): Promise<string> {
  const standing = (await heldNames(client)).find((view) => view.version === version);
  if (standing !== undefined) return standing.name;
  const name = `${PREFIX}${version}_${randomBytes(8).toString('hex')}`;
  await client.query(`CREATE VIEW ${name} AS SELECT 1 AS one`);
  return name;
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
