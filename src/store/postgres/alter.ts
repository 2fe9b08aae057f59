import type { PoolClient } from 'pg';
import { StoreError } from '../../core/store/contract.ts';
import type { Alteration, Transaction } from '../../core/store/contract.ts';
import { scriptText } from '../../core/tables/ddl.ts';
import { diffSchemas, noDecisions } from '../../core/tables/schema-diff.ts';
import { keptWhole, scriptEnded } from '../base/options.ts';
import { postgresDdl } from './ddl.ts';
import { describe } from './describe.ts';
import { storeError } from './errors.ts';
import { isLockFault, LOCK_MS } from './locked.ts';
import { letGo } from './tables-mark.ts';

/** Two programs that work on the tables of one database take turns. The number is this tool's lock. */
const LOCK = 7_228_391;

/** Work on tables, inside a transaction that has begun. */
export async function alterationOn(
  client: PoolClient,
  transaction: Transaction,
  address: string,
  hold: Alteration['hold'],
  watch: (client: PoolClient) => () => void,
): Promise<Alteration> {
  await client.query('SET LOCAL statement_timeout = 0');
  // A program that is killed would else hold its locks for as long as its statement takes. Known since version 14.
  await client.query(
    "SELECT set_config('client_connection_check_interval', '500', true) " +
      "WHERE current_setting('server_version_num')::int >= 140000",
  );
  await client.query('SELECT pg_advisory_xact_lock($1)', [LOCK]);
  await client.query(`SET LOCAL lock_timeout = ${LOCK_MS}`);
  const tables =
    'SELECT relname FROM pg_class WHERE relnamespace = quote_ident(current_schema())::regnamespace ' +
    "AND relkind IN ('r', 'p')";
  return {
    ...transaction,
    tables: async () => (await client.query<{ relname: string }>(tables)).rows.map(({ relname }) => relname),
    async script(sql) {
      const unwatch = watch(client);
      try {
        await client.query(sql);
      } catch (error) {
        throw scriptError(error, address);
      } finally {
        unwatch();
      }
      if (await isOver(client)) throw scriptEnded();
    },
    ...keptWhole,
    letGo: (isGone) => letGo(client, isGone),
    hold,
    describe: () => describe(client),
    async describeAnew(wanted) {
      // A schema that is never seen by anybody else: it goes with the savepoint.
      await client.query('SAVEPOINT anew');
      await client.query('CREATE SCHEMA vantfell_anew');
      await client.query('SET LOCAL search_path = vantfell_anew');
      await client.query(scriptText('anew', postgresDdl.diff(diffSchemas([], wanted, noDecisions))));
      const description = await describe(client);
      await client.query('ROLLBACK TO anew');
      return description;
    },
  };
}

/** What stopped a script, with what else in the database depends on what it changes. */
function scriptError(error: unknown, address: string): StoreError {
  const told = storeError(error, address);
  // Awaited by the caller, or not a part of the script.
  if (isLockFault(error) || told.fault.kind === 'unreachable') return told;
  const { code = '', detail = '' } = error as { code?: string; detail?: string };
  const depends = DEPENDENT.includes(code) && detail !== '';
  const message = depends ? `${told.message}: ${detail.replaceAll('\n', '; ')}` : told.message;
  const remedy = depends ? 'change or drop that first: it is not of this tool, and would be broken' : '';
  return new StoreError({ kind: 'refused' }, message, told.fault.kind === 'busy' ? told.remedy : remedy, error);
}

/** Other objects depend on what is dropped; a column is used by a view, whose type would change. */
const DEPENDENT = ['2BP01', '0A000'];

/** The lock is held for as long as the transaction. */
async function isOver(client: PoolClient): Promise<boolean> {
  const held = 'SELECT 1 FROM pg_locks WHERE pid = pg_backend_pid() AND locktype = $1 AND objid = $2';
  return (await client.query(held, ['advisory', LOCK])).rows.length === 0;
}
