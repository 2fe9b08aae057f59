import type { Store } from '../../core/store/contract.ts';
import { withoutPassword } from '../../core/text/without-password.ts';
import { again } from '../base/again.ts';
import { withUsualLimits } from '../base/options.ts';
import type { StoreOptions } from '../base/options.ts';
import { timedReading } from '../base/time-limit.ts';
import { hostAddresses, readAddress } from './address.ts';
import { alterationOn } from './alter.ts';
import { readCatalogue } from './catalogue.ts';
import { postgresDdl } from './ddl.ts';
import { postgresDialect } from './dialect.ts';
import { isPassing } from './errors.ts';
import { failuresOf } from './failures.ts';
import { openPrimary } from './hosts/fail-over.ts';
import { makeHeld } from './hosts/held.ts';
import type { Held } from './hosts/held.ts';
import { withReplicas } from './hosts/replicas.ts';
import { patiently } from './locked.ts';
import { openPools } from './pools.ts';
import { preparedStatements } from './prepared.ts';
import { readsOn } from './reads.ts';
import { heldName } from './tables-mark.ts';
import { transactionsOn } from './transactions.ts';

/** How often a transaction is run again that lost against another one. */
const TRIES = 5;

/**
 * Opens a pool of connections to a database. `address` is a URL, as postgres://user@host:5432/name, with
 * `?pooler=transaction` where a pooler stands before it, and several hosts where any of them may be the primary.
 */
export async function openPostgres(address: string, options: StoreOptions = {}): Promise<Store> {
  const held = makeHeld();
  const { replicas, onNews } = options;
  const addresses = hostAddresses(address);
  const open = (one: string): Promise<Store> => openHost(one, options, held);
  const [only] = addresses;
  const primary = addresses.length === 1 ? await open(only!) : await openPrimary({ addresses, open, onNews });
  if (replicas === undefined) return primary;
  // What has moved is told by the primary: a replica may only not have come so far.
  const openReplica = (one: string): Promise<Store> => openHost(one, { ...options, onMoved: undefined }, held);
  return withReplicas(primary, { ...replicas, open: openReplica, onNews });
}

async function openHost(address: string, options: StoreOptions, held: Held): Promise<Store> {
  const { longestRead, slowReads, longestTransaction, mostWaiting, longestWait, onMoved } = withUsualLimits(options);
  const shown = withoutPassword(address);
  const { plain, isPooled } = readAddress(address);
  const pools = await openPools(plain, shown, { longestRead, longestTransaction, slowReads, isPooled });
  const { reading } = pools;
  const prepared = preparedStatements(isPooled);
  held.follow((name) => prepared.hold(name));
  const failures = failuresOf(shown, reading, prepared, onMoved);
  const once = transactionsOn(pools, { prepared, failures }, shown, mostWaiting);

  const store: Store = {
    kind: 'postgres',
    isRemote: true,
    address: shown,
    dialect: postgresDialect,
    ddl: postgresDdl,
    ...readsOn(pools, prepared, failures, longestRead),

    reading: (work, requester) => timedReading(store, longestRead, work, requester),

    transaction: (work, { unlimited = false } = {}) =>
      again({ tries: TRIES, isPassing }, () => once(work, unlimited ? undefined : longestTransaction)),

    alter: (work, { onWait } = {}) =>
      patiently(reading, longestWait, onWait, ({ watch }) =>
        once(async (handle, client) => {
          const hold = async (version: number): Promise<void> => held.set(await heldName(client, version));
          return work(await alterationOn(client, handle, shown, hold, watch));
        }),
      ),

    async catalogue() {
      const client = await reading.connect().catch((error: unknown) => {
        throw failures.of(error);
      });
      try {
        return await readCatalogue(client);
      } catch (error) {
        throw failures.of(error);
      } finally {
        client.release();
      }
    },

    close: pools.close,
  };
  return store;
}
