import { allLetters } from '../expression/letters.ts';
import type { Alteration, Store } from '../store/contract.ts';
import { lettersTable, ownTables } from '../tables/own-tables.ts';

/** Makes the tables that the tool needs for itself, where they are missing. */
export async function makeOwnTables(alteration: Alteration, { ddl }: Pick<Store, 'ddl'>): Promise<void> {
  const standing = new Set(await alteration.tables());
  for (const table of ownTables) {
    if (standing.has(table.name)) continue;
    await alteration.script(ddl.createIfMissing(table));
    if (table !== lettersTable) continue;
    // One statement for all of them, and one parameter: a database is made in a moment, tests make many.
    await alteration.run({ sql: ddl.fillFromJson(table) }, [JSON.stringify([...allLetters().values()])]);
  }
}
