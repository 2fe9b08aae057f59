import pg from 'pg';
import { StoreError } from '../../../core/store/contract.ts';
import type { Store } from '../../../core/store/contract.ts';
import { withoutPassword } from '../../../core/text/without-password.ts';
import { hostAddresses, readAddress } from '../address.ts';
import { isLost } from '../failures.ts';

/** How long a host may take to say what it is. */
const LONGEST_MS = 2_000;
/** Between two rounds of questions, while no host is the primary. */
const PAUSE_MS = 200;

export interface FailOverOptions {
  /** The addresses of all hosts, in the order in which they are asked. */
  readonly addresses: readonly string[];
  open(address: string): Promise<Store>;
  onNews?: ((text: string) => void) | undefined;
}

/**
 * A store on whichever of several hosts is the primary now. Where it can't be reached any more, or has become a
 * replica, all hosts are asked until one of them is it: meanwhile, requests are told that the database is away.
 */
export async function openPrimary({ addresses, open, onNews }: FailOverOptions): Promise<Store> {
  let address = await primaryAmong(addresses);
  let current = await open(address);
  let isClosed = false;
  let isLooking = false;

  async function look(): Promise<void> {
    while (!isClosed) {
      const found = await primaryOf(addresses);
      // The same one has been started again, or a connection was lost: its pools mend themselves.
      if (found === address) return;
      const next = found === undefined ? undefined : await open(found).catch(() => undefined);
      if (next !== undefined) {
        const before = current;
        [current, address] = [next, found!];
        onNews?.(`the database is on ${hostOf(address)} now`);
        void before.close().catch(() => undefined);
        if (isClosed) await next.close();
        return;
      }
      await new Promise((resolve) => setTimeout(resolve, PAUSE_MS));
    }
  }

  const watched = async <Result>(work: () => Promise<Result>): Promise<Result> => {
    try {
      return await work();
    } catch (error) {
      if (isLost(error) && !isLooking) {
        isLooking = true;
        void look().finally(() => (isLooking = false));
      }
      throw error;
    }
  };

  return {
    ...current,
    first: (...given) => watched(() => current.first(...given)),
    all: (...given) => watched(() => current.all(...given)),
    transaction: (...given) => watched(() => current.transaction(...given)),
    reading: (...given) => watched(() => current.reading(...given)),
    alter: (...given) => watched(() => current.alter(...given)),
    async close() {
      isClosed = true;
      await current.close();
    },
  };
}

const hostOf = (address: string): string => new URL(address).host;

/** The address of the host that is the primary now, of one that may name several. Throws `StoreError` where none is. */
export async function primaryAddress(address: string): Promise<string> {
  const addresses = hostAddresses(address);
  return addresses.length === 1 ? address : primaryAmong(addresses);
}

async function primaryAmong(addresses: readonly string[]): Promise<string> {
  const found = await primaryOf(addresses);
  if (found !== undefined) return found;
  const message = `none of the hosts of ${withoutPassword(addresses[0]!)} is a primary that can be reached`;
  const remedy = `see to them: ${addresses.map((one) => hostOf(one)).join(', ')}`;
  throw new StoreError({ kind: 'unreachable' }, message, remedy);
}

/** The first host that says that it is no replica; undefined where none does. */
async function primaryOf(addresses: readonly string[]): Promise<string | undefined> {
  const found = await Promise.all(addresses.map(isPrimary));
  return addresses.find((_address, at) => found[at] === true);
}

async function isPrimary(address: string): Promise<boolean> {
  const client = new pg.Client({
    connectionString: readAddress(address).plain,
    connectionTimeoutMillis: LONGEST_MS,
    query_timeout: LONGEST_MS,
  });
  client.on('error', () => undefined);
  try {
    await client.connect();
    const { rows } = await client.query<{ replica: boolean }>('SELECT pg_is_in_recovery() AS replica');
    return rows[0]?.replica === false;
  } catch {
    return false;
  } finally {
    await client.end().catch(() => undefined);
  }
}
