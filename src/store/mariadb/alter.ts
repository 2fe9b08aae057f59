import type { Alteration, Transaction } from '../../core/store/contract.ts';
import type { Description } from '../../core/tables/description.ts';
import type { Table } from '../../core/tables/table.ts';
import { quoteName } from '../sql/quote.ts';
import { command } from './ask.ts';
import type { Client } from './ask.ts';
import { partsOf, referencesOf } from './describe.ts';
import { LEASE_TABLE } from './locked.ts';
import { halfDoneOf, madeBy, standingProgress, tableNames } from './progress.ts';
import { runNamed, runScript, takeBack } from './script.ts';
import type { ScriptPlace } from './script.ts';
import { createTable } from './tables.ts';
import { goneNames, heldName } from './tables-mark.ts';

/** Work on tables, on a connection whose turn it is. */
export function alterationOn(
  place: ScriptPlace,
  transaction: Transaction,
  setHeld: (name: string) => void,
): Alteration {
  const { client, patiently } = place;
  return {
    ...transaction,
    tables: async () => (await tableNames(client)).filter((name) => name !== LEASE_TABLE),
    script: (sql, _known, named) => (named === undefined ? runScript(place, sql) : runNamed(place, sql, named)),
    async halfDone() {
      const progress = await standingProgress(client);
      return progress && halfDoneOf(progress);
    },
    takeBack: () => takeBack(place),
    async letGo(isGone) {
      for (const name of await goneNames(client, isGone)) {
        await patiently(() => command(client, `DROP VIEW ${quoteName(name)}`));
      }
    },
    hold: async (version) => setHeld(await heldName(client, version)),
    describe: () => describe(client),
    describeAnew: (tables) => describeAnew(client, tables),
  };
}

async function describe(client: Client): Promise<Description> {
  const names = (await tableNames(client)).filter((name) => name !== LEASE_TABLE);
  const made = await Promise.all(names.map((name) => madeBy(client, name)));
  return Object.fromEntries(names.map((name, at) => [name, partsOf(made[at]!)]));
}

/** Tables for a moment have no references: those are told as MariaDB would. */
async function describeAnew(client: Client, tables: readonly Table[]): Promise<Description> {
  const described: Record<string, Description[string]> = {};
  for (const table of tables) {
    const name = `vantfell_anew_${table.name}`.slice(0, 64);
    await command(client, createTable(table, 'CREATE TEMPORARY TABLE', name));
    const made = await madeBy(client, name);
    await command(client, `DROP TEMPORARY TABLE ${quoteName(name)}`);
    described[table.name] = { ...partsOf(made), ...referencesOf(table) };
  }
  return described;
}
