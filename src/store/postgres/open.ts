import pg from 'pg';
import type { PoolClient } from 'pg';
import type { Row, Statement, Store, StoreValue, Transaction } from '../../core/store/contract.ts';
import { StoreError } from '../../core/store/contract.ts';
import { postgresDialect } from './dialect.ts';
import type { StoreOptions } from '../options.ts';
import { tooSlow } from '../options.ts';
import { isCutOff, isPassing, storeError } from './errors.ts';
import { alterationOn } from './alter.ts';
import { postgresDdl } from './ddl.ts';

/** Connections of one service, for reads and for writes: neither waits for the other. */
const CONNECTIONS = 8;
const CONNECT_MS = 5_000;
const LONGEST_STATEMENT_MS = 5_000;
const USES_BEFORE_NAME = 3;
const MOST_NAMES = 1_000;
/** How often a transaction is run again that lost against another one. */
const TRIES = 5;

/** Opens a pool of connections to a database. `address` is a URL, as postgres://user@host:5432/name. */
export async function openPostgres(
  address: string,
  { longestRead = 5_000, slowReads = 0 }: StoreOptions = {},
): Promise<Store> {
  const shown = withoutPassword(address);
  const settings: pg.PoolConfig = {
    connectionString: address,
    max: CONNECTIONS,
    connectionTimeoutMillis: CONNECT_MS,
    statement_timeout: LONGEST_STATEMENT_MS,
    application_name: 'vantfell',
    types: asText,
  };
  const ofReads = { ...settings, statement_timeout: longestRead };
  const [reading, writing] = [new pg.Pool(ofReads), new pg.Pool(settings)];
  // Slow reads wait for each other, not for the connections of quick ones.
  const slow = slowReads === 0 ? reading : new pg.Pool({ ...ofReads, max: slowReads });
  const pools = [...new Set([reading, slow, writing])];
  // A connection that breaks while nobody uses it is replaced; the next statement tells whether there is a server.
  for (const pool of pools) pool.on('error', () => undefined);
  try {
    (await reading.connect()).release();
  } catch (error) {
    await Promise.all(pools.map((pool) => pool.end()));
    throw storeError(error, shown);
  }

  // A named statement is prepared once on each connection and stays there, so names are for those that come again.
  const uses = new WeakMap<Statement, { count: number; name?: string }>();
  let named = 0;
  const nameOf = (statement: Statement): string | undefined => {
    const use = uses.get(statement) ?? { count: 0 };
    uses.set(statement, use);
    use.count += 1;
    if (use.count === USES_BEFORE_NAME && named < MOST_NAMES) use.name = `v${(named += 1)}`;
    return use.name;
  };
  const query = async (on: pg.Pool | PoolClient, statement: Statement, values: readonly StoreValue[]) => {
    const name = nameOf(statement);
    try {
      return await on.query<StoreValue[]>({ name, text: statement.sql, values: [...values], rowMode: 'array' });
    } catch (error) {
      throw storeError(error, shown);
    }
  };

  const read = async (statement: Statement, values: readonly StoreValue[]): Promise<Row[]> => {
    try {
      return (await query(statement.slow === true ? slow : reading, statement, values)).rows;
    } catch (error) {
      throw isCutOff(error) ? tooSlow(longestRead) : error;
    }
  };

  /** A transaction's own handle: after the end it refuses, instead of writing outside. */
  const transactionOn = (client: PoolClient): { handle: Transaction; end(): void } => {
    let over = false;
    let nested = 0;
    const ask = (statement: Statement, values: readonly StoreValue[]) => {
      if (!over) return query(client, statement, values);
      return Promise.reject(
        new StoreError({ kind: 'defect' }, 'this transaction has ended', 'await every call within it'),
      );
    };
    const handle: Transaction = {
      first: async (statement, values) => (await ask(statement, values)).rows[0],
      all: async (statement, values) => (await ask(statement, values)).rows,
      run: async (statement, values) => (await ask(statement, values)).rowCount ?? 0,
      async nested(work) {
        const point = `n${(nested += 1)}`;
        await client.query(`SAVEPOINT ${point}`);
        try {
          const result = await work();
          await client.query(`RELEASE ${point}`);
          return result;
        } catch (error) {
          await client.query(`ROLLBACK TO ${point}`);
          throw error;
        }
      },
    };
    return { handle, end: () => void (over = true) };
  };

  async function within<Result>(client: PoolClient, work: (handle: Transaction) => Promise<Result>): Promise<Result> {
    const transaction = transactionOn(client);
    try {
      return await work(transaction.handle);
    } finally {
      transaction.end();
    }
  }

  async function once<Result>(work: (client: PoolClient) => Promise<Result>): Promise<Result> {
    const client = await writing.connect().catch((error: unknown) => {
      throw storeError(error, shown);
    });
    let broken: Error | undefined;
    try {
      await client.query('BEGIN');
      const result = await work(client);
      await client.query('COMMIT');
      return result;
    } catch (error) {
      await client.query('ROLLBACK').catch((other: Error) => (broken = other));
      throw error instanceof pg.DatabaseError ? storeError(error, shown) : error;
    } finally {
      client.release(broken);
    }
  }

  return {
    kind: 'postgres',
    address: shown,
    dialect: postgresDialect,
    ddl: postgresDdl,
    first: async (statement, values) => (await read(statement, values))[0],
    all: read,

    async transaction(work) {
      for (let tried = 1; ; tried += 1) {
        try {
          return await once((client) => within(client, work));
        } catch (error) {
          if (!isPassing(error) || tried === TRIES) throw error;
          // Whoever won needs a moment; two losers had better not meet again.
          await new Promise((resolve) => setTimeout(resolve, 2 ** tried + Math.random() * 2 ** tried));
        }
      }
    },

    alter: (work) =>
      once((client) => within(client, async (handle) => work(await alterationOn(client, handle, shown)))),

    async close() {
      await Promise.all(pools.map((pool) => pool.end()));
    },
  };
}

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
