import { randomBytes } from 'node:crypto';
import { command } from './ask.ts';
import type { Client, Query } from './ask.ts';

/*
 * For each version of the project that has been served, a view that is read for its name alone: it goes, and never
 * comes back under that name, once a migration makes tables that the version does not know. A transaction that has read
 * it keeps it from going until it has ended.
 */
const PREFIX = 'vantfell_tables_';

const VIEWS =
  `SELECT TABLE_NAME FROM information_schema.VIEWS WHERE TABLE_SCHEMA = database() ` +
  `AND left(TABLE_NAME, ${PREFIX.length}) = '${PREFIX}'`;

/** The views, and the version that each is of. */
async function heldNames(client: Client): Promise<{ name: string; version: number }[]> {
  return (await command(client, VIEWS)).rows.map(([name]) => {
    const version = /^(\d+)_/.exec(String(name).slice(PREFIX.length))?.[1];
    return { name: String(name), version: Number(version) };
  });
}

/** The views of versions that go. */
export const goneNames = async (client: Client, isGone: (version: number) => boolean): Promise<string[]> =>
  (await heldNames(client)).filter(({ version }) => isGone(version)).map(({ name }) => name);

/** The name of a version's view, which is made where there is none. */
export async function heldName(client: Client, version: number): Promise<string> {
  const standing = (await heldNames(client)).find((view) => view.version === version);
  if (standing !== undefined) return standing.name;
  const name = `${PREFIX}${version}_${randomBytes(8).toString('hex')}`;
  await command(client, `CREATE SQL SECURITY INVOKER VIEW "${name}" AS SELECT 1 AS one`);
  return name;
}

/** Whether the tables still stand: an error where they don't. */
export const checkOf = (name: string): Query => ({ text: `SELECT 1 FROM "${name}"`, values: [] });

/** Whether an error says that there is no such view any more. */
export const saysMoved = (error: unknown): boolean => {
  const { errno, message } = error as { errno?: unknown; message?: unknown };
  return errno === 1146 && String(message).includes(PREFIX);
};
