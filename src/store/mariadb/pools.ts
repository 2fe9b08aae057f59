import { Socket } from 'node:net';
import { createPool } from 'mariadb/callback';
import type { Pool, PoolConfig } from 'mariadb/callback';
import type { ConnectionLimits } from '../base/options.ts';
import { gathering } from '../base/gathering.ts';
import { SILENCE_MS, startClock } from '../base/time-limit.ts';
import { makePipes } from '../base/pipes.ts';
import type { Pipes } from '../base/pipes.ts';
import type { Target } from './address.ts';
import { connectWire, put } from './ask.ts';
import type { Query, Queryable, Result } from './ask.ts';
import { isFull } from './errors.ts';
import { streamTo } from './connected.ts';
import { giveBack } from './lent.ts';
import { DRIVER, IN_STEP, ofTransactions, SESSION, statementLimit } from './session.ts';
import { makeSlowReads } from './slow-reads.ts';
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
  /** For reads outside of transactions. */
  readonly reads: Queryable;
  readonly writing: Pool;
  readonly pipes: Pipes<Query, Result>;
  /** Slow reads wait for each other, not for the connections of quick ones. */
  readonly slowly: SlowReads | undefined;
  close(): Promise<void>;
}

export interface PoolLimits extends ConnectionLimits {
  /** Whether other nodes may have written what this one has not yet. */
  readonly isCluster: boolean;
}

export const settingsOf = (target: Target, session: readonly string[]): PoolConfig => ({
  ...target,
  ...DRIVER,
  connectTimeout: CONNECT_MS,
  stream: streamTo(target, () => new Socket(), gathering),
  keepAliveDelay: 10_000,
  initSql: [...SESSION, ...session],
});

/** Opens the pools of a store. */
export function openPools(target: Target, limits: PoolLimits): Pools {
  const { longestRead, longestTransaction, slowReads, isCluster } = limits;
  // A transaction ends by itself; this frees what a statement of it still holds.
  const longestStatement = longestTransaction ?? LONGEST_STATEMENT_MS;
  const ofNode = isCluster ? [IN_STEP] : [];
  const ofReads = settingsOf(target, [...ofNode, statementLimit(longestRead)]);
  const ofWrites = settingsOf(target, [
    ...ofNode,
    statementLimit(longestStatement),
    ...ofTransactions(longestStatement),
  ]);
  const pool = (settings: PoolConfig, connectionLimit: number): Pool =>
    createPool({ ...settings, connectionLimit, minimumIdle: 1, acquireTimeout: longestRead + CONNECT_MS });
  const [reading, writing] = [pool(ofReads, CONNECTIONS), pool(ofWrites, CONNECTIONS)];
  const slow = slowReads === 0 ? undefined : pool(ofReads, slowReads);
  const pools = [reading, writing, ...(slow === undefined ? [] : [slow])];
  const silence = longestRead + SILENCE_MS;
  const reads = readsOver(reading, silence);
  const pipes = makePipes<Query, Result>({
    count: PIPES,
    longest: silence,
    others: reads,
    connect: (broken) => connectWire(ofReads, broken),
    isFull,
  });
  const endAll = (): Promise<unknown> =>
    Promise.all(pools.map((one) => new Promise<void>((resolve) => one.end(() => resolve()))));
  return {
    reads,
    writing,
    pipes,
    slowly: slow && makeSlowReads(slow, slowReads, longestRead, reads),
    async close() {
      await Promise.all([pipes.close(), endAll()]);
    },
  };
}

/** Reads over the connections of a pool, which break where nothing is said for `longest` milliseconds. */
const readsOver = (pool: Pool, longest: number): Queryable => ({
  query: (query) =>
    new Promise((resolve, reject) => {
      pool.getConnection((error, connection) => {
        if (error !== null) return reject(error);
        const answered = startClock(longest, () => connection!.destroy());
        put(connection!, query, (failure, result) => {
          answered();
          giveBack(connection!);
          if (failure === undefined) resolve(result!);
          else reject(failure);
        });
      });
    }),
});
