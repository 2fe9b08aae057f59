import pg from 'pg';
import type { PoolClient } from 'pg';
import type { Row, Statement, StoreValue } from '../../core/sql/statement.ts';
import { StoreError } from '../../core/store/contract.ts';
import type { Requester, Store, Transaction } from '../../core/store/contract.ts';
import { tablesMoved, tooManyWriters, tooSlow, transactionTooSlow } from '../base/options.ts';
import type { StoreOptions } from '../base/options.ts';
import { startClock, startTimeLimit, timedReading, transactionOver } from '../base/time-limit.ts';
import type { TimeLimit } from '../base/time-limit.ts';
import { alterationOn } from './alter.ts';
import { postgresDdl } from './ddl.ts';
import { postgresDialect } from './dialect.ts';
import { isCutOff, isPassing, storeError } from './errors.ts';
import { patiently } from './locked.ts';
import { makePipes } from './pipes.ts';
import type { Queryable } from './pipes.ts';
import { makeSlowReads } from './slow-reads.ts';
import { heldCheck, heldCommit, heldName, heldRead, moveOn, saysMoved } from './tables-mark.ts';

/**
 * Connections of one service, for reads and for writes: neither waits for the other. Reads of one record share theirs.
 */
const CONNECTIONS = 8;
const PIPES = 2;
const CONNECT_MS = 5_000;
const LONGEST_STATEMENT_MS = 5_000;
const USES_BEFORE_NAME = 3;
const MOST_NAMES = 1_000;
/** How often a transaction is run again that lost against another one. */
const TRIES = 5;
/**
 * A server that says nothing for so much longer than a statement may take is not there any more, whatever the socket
 * says.
 */
const SILENCE_MS = 2_000;
/** A named statement that a connection does not know: what was to prepare it has failed, on the way before it. */
const UNKNOWN_NAME = '26000';

/** Opens a pool of connections to a database. `address` is a URL, as postgres://user@host:5432/name. */
export async function openPostgres(
  address: string,
  {
    longestRead = 5_000,
    slowReads = 0,
    longestTransaction,
    mostWaiting = Infinity,
    longestWait = 120_000,
    onMoved,
  }: StoreOptions = {},
): Promise<Store> {
  const shown = withoutPassword(address);
  const settings: pg.PoolConfig = {
    connectionString: address,
    max: CONNECTIONS,
    connectionTimeoutMillis: CONNECT_MS,
    // A transaction ends by itself; this frees what a statement of it still holds.
    statement_timeout: longestTransaction ?? LONGEST_STATEMENT_MS,
    application_name: 'vantfell',
    keepAlive: true,
    types: asText,
  };
  const ofReads = { ...settings, statement_timeout: longestRead };
  const ofPools = { ...ofReads, query_timeout: longestRead + SILENCE_MS };
  const [reading, writing] = [new pg.Pool(ofPools), new pg.Pool(settings)];
  const pipes = makePipes(ofReads, { count: PIPES, longest: longestRead + SILENCE_MS, others: reading });
  // Slow reads wait for each other, not for the connections of quick ones.
  const slow = slowReads === 0 ? undefined : new pg.Pool({ ...ofPools, max: slowReads });
  const slowly = slow && makeSlowReads(slow, slowReads, longestRead, reading);
  const pools = [reading, writing, ...(slow === undefined ? [] : [slow])];
  for (const pool of pools) {
    // A connection that breaks while nobody uses it is replaced; the next statement tells whether there is a server.
    // One that breaks while somebody does tells so by the statement that was on its way, or by the next one.
    pool.on('error', () => undefined);
    pool.on('connect', (client) => client.on('error', () => undefined));
  }
  try {
    (await reading.connect()).release();
  } catch (error) {
    await Promise.all(pools.map((pool) => pool.end()));
    throw storeError(error, shown);
  }

  // The name of what tells that the tables have moved on, once this is held to them.
  let held: string | undefined;
  let isMoved = false;
  // A named statement is prepared once on each connection and stays there, so names are for those that come again.
  let uses = new WeakMap<Statement, { readonly text: string; count: number; name?: string }>();
  let named = 0;
  /** A statement as the server gets it. */
  const asUsed = (statement: Statement): { readonly text: string; readonly name?: string } => {
    let use = uses.get(statement);
    if (use === undefined) {
      const text = held === undefined ? statement.sql : heldRead(held, statement.sql);
      uses.set(statement, (use = { text, count: 0 }));
    }
    if (use.name === undefined) {
      use.count += 1;
      if (use.count >= USES_BEFORE_NAME && named < MOST_NAMES) use.name = `v${(named += 1)}`;
    }
    return use;
  };
  /** What was thrown, in the words of the store contract. */
  const told = (error: unknown): StoreError => {
    if (!saysMoved(error)) return storeError(error, shown);
    if (!isMoved) onMoved?.();
    isMoved = true;
    return tablesMoved(shown);
  };
  /** The same, of a statement: one that goes wrong on tables that have moved on says nothing else. */
  const toldOf = async (error: unknown): Promise<StoreError> => {
    const found = told(error);
    if (held === undefined || !['refused', 'defect'].includes(found.fault.kind)) return found;
    const moved = await reading.query(heldCheck(held)).then(
      () => undefined,
      (other: unknown) => (saysMoved(other) ? told(other) : undefined),
    );
    return moved ?? found;
  };
  const ask = (on: Queryable, statement: Statement, values: readonly StoreValue[], longest?: number) => {
    const used = asUsed(statement);
    // The driver makes a copy of the values, and leaves these as they are.
    return on.query({
      name: used.name,
      text: used.text,
      values: values as StoreValue[],
      rowMode: 'array',
      ...(longest === undefined ? {} : { query_timeout: longest + SILENCE_MS }),
    });
  };
  const query = async (client: PoolClient, statement: Statement, values: readonly StoreValue[], longest?: number) => {
    try {
      return await ask(client, statement, values, longest);
    } catch (error) {
      throw await toldOf(error);
    }
  };

  /** A command without values, whose name nothing else needs. */
  const run = (client: PoolClient, text: string, longest?: number): Promise<unknown> =>
    client
      .query({ text, ...(longest === undefined ? {} : { query_timeout: longest + SILENCE_MS }) })
      .catch((error: unknown) => {
        throw told(error);
      });
  const keep = (client: PoolClient, longest: number | undefined): Promise<unknown> =>
    run(client, held === undefined ? 'COMMIT' : heldCommit(held), longest).catch((error: unknown) => {
      const { message, remedy } = error as StoreError;
      throw isLost(error) ? new StoreError({ kind: 'uncertain' }, message, remedy, error) : error;
    });

  const refusalOf = async (error: unknown): Promise<StoreError> => {
    const refusal = await toldOf(error);
    return isCutOff(refusal) ? tooSlow(longestRead) : refusal;
  };
  /**
   * Asks for a read, in the time that it may take, whatever stands before it on its connection. Written out, because
   * each promise between the driver and the service costs every read.
   */
  const read = <Result>(
    statement: Statement,
    values: readonly StoreValue[],
    requester: Requester | undefined,
    take: (result: pg.QueryArrayResult<StoreValue[]>) => Result,
  ): Promise<Result> =>
    new Promise((resolve, reject) => {
      const failed = (error: unknown): void => (end(), void refusalOf(error).then(reject));
      const answered = (result: pg.QueryArrayResult<StoreValue[]>): void => (end(), resolve(take(result)));
      // A slow one has a clock of its own, which stops it.
      const isSlow = statement.slow === true && slowly !== undefined;
      const end = isSlow ? () => undefined : startClock(longestRead, () => reject(tooSlow(longestRead)));
      if (isSlow) return void slowly(requester, (on) => ask(on, statement, values)).then(answered, failed);
      ask(statement.light === true ? pipes : reading, statement, values).then(answered, (error: unknown) => {
        if ((error as { code?: unknown }).code !== UNKNOWN_NAME) return failed(error);
        void reading
          .query<StoreValue[]>({ text: asUsed(statement).text, values: values as StoreValue[], rowMode: 'array' })
          .then(answered, failed);
      });
    });
  const rowsOf = ({ rows }: pg.QueryArrayResult<StoreValue[]>): Row[] => rows;
  const rowOf = ({ rows }: pg.QueryArrayResult<StoreValue[]>): Row | undefined => rows[0];

  /** A transaction's own handle: after the end it refuses, instead of writing outside. */
  const transactionOn = (
    client: PoolClient,
    limit: TimeLimit,
    longest: number | undefined,
  ): { handle: Transaction; end(): void } => {
    let over = false;
    let points = 0;
    const within = (statement: Statement, values: readonly StoreValue[]) =>
      over ? Promise.reject(transactionOver()) : query(client, statement, values, longest);
    const handle: Transaction = {
      get signal() {
        return limit.signal;
      },
      first: async (statement, values) => (await within(statement, values)).rows[0],
      all: async (statement, values) => (await within(statement, values)).rows,
      run: async (statement, values) => (await within(statement, values)).rowCount ?? 0,
      async nested(work) {
        if (over) throw transactionOver();
        const point = `n${(points += 1)}`;
        await run(client, `SAVEPOINT ${point}`, longest);
        try {
          const result = await work();
          if (over) throw transactionOver();
          await run(client, `RELEASE ${point}`, longest);
          return result;
        } catch (error) {
          // Where all of it is over, its part went with it.
          if (!over) await run(client, `ROLLBACK TO ${point}`, longest);
          throw error;
        }
      },
    };
    return { handle, end: () => void (over = true) };
  };

  async function once<Result>(
    work: (handle: Transaction, client: PoolClient) => Promise<Result>,
    longest?: number,
  ): Promise<Result> {
    const isFull = (): boolean => writing.idleCount === 0 && writing.totalCount === CONNECTIONS;
    if (isFull() && writing.waitingCount > mostWaiting) throw tooManyWriters(mostWaiting);
    const client = await writing.connect().catch((error: unknown) => {
      throw isFull() ? tooManyWriters(writing.waitingCount) : storeError(error, shown);
    });
    const limit = startTimeLimit(longest);
    const transaction = transactionOn(client, limit, longest);
    let broken: Error | undefined;
    let isReleased = false;
    try {
      await run(client, 'BEGIN', longest);
      const result = await limit.race(work(transaction.handle, client));
      transaction.end();
      await keep(client, longest);
      return result;
    } catch (error) {
      transaction.end();
      if (isLost(error)) {
        // There is nothing to be rolled back to over a connection that has gone, and nobody knows where it stands.
        broken = error as Error;
        throw error;
      }
      // A statement that is still at work, or waits for a lock, must not keep the client of the service waiting.
      const rolledBack = run(client, 'ROLLBACK', longest).catch((other: Error) => (broken = other));
      isReleased = limit.isUp();
      if (isReleased) void rolledBack.then(() => client.release(broken));
      else await rolledBack;
      if (longest !== undefined && isCutOff(error)) throw transactionTooSlow(longest);
      throw error;
    } finally {
      limit.end();
      if (!isReleased) client.release(broken);
    }
  }

  const store: Store = {
    kind: 'postgres',
    address: shown,
    dialect: postgresDialect,
    ddl: postgresDdl,
    first: (statement, values, requester) => read(statement, values, requester, rowOf),
    all: (statement, values, requester) => read(statement, values, requester, rowsOf),

    reading: (work, requester) => timedReading(store, longestRead, work, requester),

    async transaction(work, { unlimited = false } = {}) {
      for (let tried = 1; ; tried += 1) {
        try {
          return await once(work, unlimited ? undefined : longestTransaction);
        } catch (error) {
          if (!isPassing(error) || tried === TRIES) throw error;
          // Whoever won needs a moment; two losers had better not meet again.
          await new Promise((resolve) => setTimeout(resolve, 2 ** tried + Math.random() * 2 ** tried));
        }
      }
    },

    alter: (work, { onWait } = {}) =>
      patiently(reading, longestWait, onWait, ({ watch }) =>
        once(async (handle, client) => {
          const hold = async (): Promise<void> => {
            // An older version of the tool has made none.
            if ((await heldName(client)) === undefined) await moveOn(client);
            held = await heldName(client);
            // What they are held to is part of their texts.
            uses = new WeakMap();
          };
          return work(await alterationOn(client, handle, shown, hold, watch));
        }),
      ),

    async close() {
      await Promise.all([pipes.close(), ...pools.map((pool) => pool.end())]);
    },
  };
  return store;
}

/** Whether the connection has gone with what was asked over it. */
const isLost = (error: unknown): boolean =>
  error instanceof StoreError && (error.fault.kind === 'unreachable' || error.fault.kind === 'uncertain');

/** For people: the address without its password. */
export function withoutPassword(address: string): string {
  const url = new URL(address);
  url.password = '';
  return url.href;
}

const BIGINT = 20;
const BOOLEAN = 16;
const INTEGERS = [21, 23];

/** Values as the core takes them: texts as they are, but for booleans and whole numbers. */
const asText = {
  getTypeParser: (type: number) => {
    if (type === BIGINT || INTEGERS.includes(type)) return Number;
    return type === BOOLEAN ? (text: string) => text === 't' : (text: string) => text;
  },
};
