import pg from 'pg';
import { storeError } from './errors.ts';
import type { ConnectionLimits } from '../base/options.ts';
import { SILENCE_MS } from '../base/time-limit.ts';
import { readsOver } from './ask.ts';
import type { Queryable } from './ask.ts';
import { postgresPipes } from './pipes.ts';
import type { Pipes } from './pipes.ts';
import { PatientPool } from './patient-pool.ts';
import { beginText, pooledReads } from './pooled.ts';
import { asText, commandOf } from './query.ts';
import type { Query } from './query.ts';
import { makeSlowReads, pooledSlowReads } from './slow-reads.ts';
import type { SlowReads } from './slow-reads.ts';

/**
 * Connections of one service, for reads and for writes: neither waits for the other. Reads of one record share theirs.
 */
export const CONNECTIONS = 8;
const PIPES = 2;
export const CONNECT_MS = 5_000;
const LONGEST_STATEMENT_MS = 5_000;

/** The connections of one store. */
export interface Pools {
  readonly reading: pg.Pool;
  /** For reads outside of transactions. */
  readonly reads: Queryable;
  readonly writing: pg.Pool;
  /** What begins a transaction there. */
  readonly begin: Query;
  readonly pipes: Pipes;
  /** Slow reads wait for each other, not for the connections of quick ones. */
  readonly slowly: SlowReads | undefined;
  close(): Promise<void>;
}

export interface PoolLimits extends ConnectionLimits {
  /** Whether a pooler stands before the server. */
  readonly isPooled: boolean;
}

/** Opens the pools of a store, and one connection: throws where there is no server. */
export async function openPools(address: string, shown: string, limits: PoolLimits): Promise<Pools> {
  const { longestRead, longestTransaction, slowReads, isPooled } = limits;
  // A transaction ends by itself; this frees what a statement of it still holds.
  const longestStatement = longestTransaction ?? LONGEST_STATEMENT_MS;
  const settings = {
    connectionString: address,
    max: CONNECTIONS,
    // One is kept: where others have all the rest, there is none to be had.
    min: 1,
    connectionTimeoutMillis: CONNECT_MS,
    keepAlive: true,
    types: asText,
    // What need not wait for each other's answers is sent at once.
    pipeline: true,
    // A pooler takes nothing that is said when a connection begins.
    ...(isPooled ? {} : { statement_timeout: longestStatement, application_name: 'vantfell' }),
  };
  const ofReads = { ...settings, ...(isPooled ? {} : { statement_timeout: longestRead }) };
  const silence = longestRead + SILENCE_MS;
  const ofPools = { ...ofReads, query_timeout: silence };
  const [reading, writing] = [new PatientPool(isPooled ? ofPools : ofReads), new PatientPool(settings)];
  const others = readsOver(reading, silence);
  const reads: Queryable = isPooled ? pooledReads(reading, longestRead) : others;
  const pipes: Pipes = isPooled
    ? { query: (query) => reads.query(query), close: () => Promise.resolve() }
    : postgresPipes(ofReads, PIPES, silence, others);
  const slow = slowReads === 0 ? undefined : new PatientPool({ ...ofPools, max: slowReads });
  const pools = [reading, writing, ...(slow === undefined ? [] : [slow])];
  for (const pool of pools) {
    // A connection that breaks while nobody uses it is replaced; the next statement shows whether there is a server.
    // One that breaks in use fails the statement that was on its way, or the next one.
    pool.on('error', () => undefined);
    pool.on('connect', (client) => client.on('error', () => undefined));
  }
  const endAll = (): Promise<unknown> => Promise.all(pools.map((pool) => pool.end()));
  try {
    (await reading.connect()).release();
  } catch (error) {
    await endAll();
    throw storeError(error, shown);
  }
  return {
    reading,
    reads,
    writing,
    begin: commandOf(beginText(isPooled, longestStatement)),
    pipes,
    slowly:
      slow &&
      (isPooled ? pooledSlowReads(slow, slowReads, longestRead) : makeSlowReads(slow, slowReads, longestRead, reading)),
    async close() {
      await Promise.all([pipes.close(), endAll()]);
    },
  };
}
