import type { Connection } from 'mariadb/callback';
import type { Store } from '../../core/store/contract.ts';
import { StoreError } from '../../core/store/contract.ts';
import type { Catalogue } from '../../core/tables/catalogue.ts';
import { withoutPassword } from '../../core/text/without-password.ts';
import { again } from '../base/again.ts';
import { handleOf } from '../base/handle.ts';
import { withUsualLimits } from '../base/options.ts';
import type { StoreOptions } from '../base/options.ts';
import { startTimeLimit, timedReading } from '../base/time-limit.ts';
import { readAddress } from './address.ts';
import type { Target } from './address.ts';
import { alterationOn } from './alter.ts';
import { command } from './ask.ts';
import type { Query } from './ask.ts';
import { readCatalogue } from './catalogue.ts';
import { connected } from './connected.ts';
import { mariadbDdl } from './ddl.ts';
import { mariadbDialect } from './dialect.ts';
import { isOfDriver, isPassing, storeError } from './errors.ts';
import { failuresOf } from './failures.ts';
import { makeLine } from './line.ts';
import { LOCK_S, patientlyOn, takeTurn } from './locked.ts';
import { openPools, settingsOf } from './pools.ts';
import { preparedStatements } from './prepared.ts';
import { readsOn } from './reads.ts';
import { ofTransactions } from './session.ts';
import { checkOf } from './tables-mark.ts';
import { transactionsOn } from './transactions.ts';

/** How often a transaction is run again that lost against another one, as many do that refer to a row and lock it. */
const AGAIN = { tries: 20, longestPause: 60, isPassing } as const;

/** Opens a pool of connections to a database. `address` is a URL, as mariadb://user@host:3306/name. */
export async function openMariadb(address: string, options: StoreOptions = {}): Promise<Store> {
  const { longestRead, slowReads, longestTransaction, mostWaiting, longestWait, onMoved } = withUsualLimits(options);
  const shown = withoutPassword(address);
  const target = readAddress(address);
  const { isCluster, mostBytes } = await lookAt(target, shown);
  const pools = openPools(target, { longestRead, longestTransaction, slowReads, isCluster });
  let held: Query | undefined;
  const check = (): Query | undefined => held;
  const prepared = preparedStatements(mostBytes);
  const failures = failuresOf({ address: shown, reads: pools.reads, check, onMoved });
  const once = transactionsOn(pools.writing, { prepared, failures, check, isCluster }, shown, mostWaiting);

  const store: Store = {
    kind: 'mariadb',
    isRemote: true,
    keepsEachAlteration: true,
    address: shown,
    dialect: mariadbDialect,
    ddl: mariadbDdl,
    ...readsOn(pools, prepared, failures, check, longestRead),

    reading: (work, requester) => timedReading(store, longestRead, work, requester),

    transaction: (work, { unlimited = false } = {}) =>
      again(AGAIN, () => once(work, unlimited ? undefined : longestTransaction)),

    async alter(work, { onWait } = {}) {
      const connect = (): Promise<Connection> => connectedTo(target, shown);
      const client = await connect();
      try {
        const turn = await takeTurn({ client, isCluster, connect, longest: longestWait, onWait }).catch(
          (error: unknown) => {
            throw isOfDriver(error) ? failures.of(error) : error;
          },
        );
        try {
          const place = { client, address: shown, patiently: patientlyOn(client, longestWait, onWait) };
          return await again(AGAIN, async () => {
            // It is not held to tables that it is about to change.
            const line = makeLine(client, { prepared, failures, check: () => undefined });
            const { handle } = handleOf(line, startTimeLimit(undefined));
            try {
              const result = await work(alterationOn(place, handle, (name) => (held = checkOf(name))));
              await line.commit();
              return result;
            } catch (error) {
              await line.rollBack().catch(() => undefined);
              throw isOfDriver(error) ? failures.of(error) : error;
            }
          });
        } finally {
          await turn.letGo();
        }
      } finally {
        client.destroy();
      }
    },

    catalogue: () => catalogueOf(target, shown, failures),

    close: pools.close,
  };
  return store;
}

/** A connection that works on tables: statements may take as long as they like, but wait for others only a moment. */
const connectedTo = (target: Target, shown: string): Promise<Connection> =>
  connected(settingsOf(target, [...ofTransactions(LOCK_S * 1_000), `SET SESSION lock_wait_timeout = ${LOCK_S}`])).catch(
    (error: unknown) => {
      throw storeError(error, shown);
    },
  );

async function catalogueOf(target: Target, shown: string, failures: ReturnType<typeof failuresOf>): Promise<Catalogue> {
  const client = await connectedTo(target, shown);
  try {
    return await readCatalogue(client);
  } catch (error) {
    throw isOfDriver(error) ? failures.of(error) : error;
  } finally {
    client.destroy();
  }
}

/** What matters of a server. */
interface Server {
  /** Whether it is a node of a cluster. */
  readonly isCluster: boolean;
  /** How much it gives in one text. */
  readonly mostBytes: number;
}

/** Throws where nobody answers, or another product, which may have the address. */
async function lookAt(target: Target, shown: string): Promise<Server> {
  const client = await connected({ ...settingsOf(target, []), initSql: [] }).catch((error: unknown) => {
    throw storeError(error, shown);
  });
  try {
    const [version = '', most = ''] = (await command(client, 'SELECT version(), @@max_allowed_packet')).rows[0]!.map(
      String,
    );
    const [, major = 0, minor = 0] = /^(?:5\.5\.5-)?(\d+)\.(\d+)/.exec(version)?.map(Number) ?? [];
    if (version.includes('MariaDB') && (major > 10 || (major === 10 && minor >= 6))) {
      const { rows } = await command(client, "SHOW VARIABLES LIKE 'wsrep_on'");
      return { isCluster: rows[0]?.[1] === 'ON', mostBytes: Number(most) };
    }
    const message = `the database ${shown} can not be used: it answers as version ${version}`;
    const remedy = 'MariaDB 10.6 or later is needed; PostgreSQL and SQLite do as well';
    throw new StoreError({ kind: 'unreachable' }, message, remedy);
  } finally {
    client.destroy();
  }
}
