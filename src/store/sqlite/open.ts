import type { Reader, Statement, Store, StoreValue, Transaction } from '../../core/store/contract.ts';
import { StoreError } from '../../core/store/contract.ts';
import { sqliteDialect } from './dialect.ts';
import { storeError } from './errors.ts';
import { alterationOn } from './alter.ts';
import { sqliteDdl } from './ddl.ts';
import type { StoreOptions } from '../options.ts';
import { startTimeLimit, timedReading, transactionOver } from '../time-limit.ts';
import type { TimeLimit } from '../time-limit.ts';
import { allRows, BUSY_MS, connect, firstRow, prepare } from './connect.ts';
import type { Connection, Prepared } from './connect.ts';
import { makeQueue } from './queue.ts';
import { makeSlowReads } from './slow-reads.ts';

const ALTERING_MS = 600_000;
/**
 * A read that takes so long, so often in a row, holds up others: it goes to a thread of its own from then on. Once may be
 * the machine's fault.
 */
const SLOW_MS = 20;
const SLOW_RUNS = 3;

/** Opens (and makes, where it is missing) the database in a file. Its folder must exist. */
export function openSqlite(
  file: string,
  { slowReads = 0, longestRead = 5_000, longestTransaction, mostWaiting }: StoreOptions = {},
): Store {
  let reading: Connection;
  let writing: Connection;
  try {
    writing = connect(file);
    reading = connect(file);
  } catch (error) {
    throw storeError(error, file);
  }
  const inLine = makeQueue(mostWaiting);
  const read = readerOf(reading, file);
  const write = readerOf(writing, file);
  const slow = slowReads === 0 ? undefined : makeSlowReads(file, slowReads, longestRead);
  // Some statements turn out to be slow: how often in a row they were.
  const slowRuns = new WeakMap<Statement, number>();
  const isSlow = (statement: Statement): boolean =>
    statement.slow === true || (slowRuns.get(statement) ?? 0) >= SLOW_RUNS;
  const timed = <Result>(statement: Statement, ask: () => Promise<Result>): Promise<Result> => {
    const start = performance.now();
    const result = ask();
    if (performance.now() - start > SLOW_MS) slowRuns.set(statement, (slowRuns.get(statement) ?? 0) + 1);
    else if (slowRuns.has(statement)) slowRuns.delete(statement);
    return result;
  };

  const whole = async <Result>(
    work: (transaction: Transaction) => Promise<Result>,
    longest?: number,
  ): Promise<Result> => {
    const limit = startTimeLimit(longest);
    const transaction = transactionOn(write, (sql) => writing.exec(sql), limit);
    try {
      writing.exec('BEGIN IMMEDIATE');
      try {
        const result = await limit.race(work(transaction.handle));
        transaction.end();
        writing.exec('COMMIT');
        return result;
      } catch (error) {
        transaction.end();
        if (writing.inTransaction) writing.exec('ROLLBACK');
        throw error;
      }
    } catch (error) {
      throw isDrivers(error) ? storeError(error, file) : error;
    } finally {
      limit.end();
    }
  };

  const store: Store = {
    kind: 'sqlite',
    address: `sqlite:${file}`,
    dialect: sqliteDialect,
    ddl: sqliteDdl,
    async first(statement, values) {
      if (slow === undefined) return read.first(statement, values);
      if (isSlow(statement)) return (await slow.read(statement, values, false))[0];
      return timed(statement, () => read.first(statement, values));
    },
    all(statement, values) {
      if (slow === undefined) return read.all(statement, values);
      if (isSlow(statement)) return slow.read(statement, values, true);
      return timed(statement, () => read.all(statement, values));
    },

    reading: (work) => timedReading(store, longestRead, work),

    transaction: (work, { unlimited = false } = {}) =>
      inLine(() => whole(work, unlimited ? undefined : longestTransaction), unlimited),

    alter: (work) =>
      inLine(async () => {
        // Another program may be at the same work, for as long as that takes.
        writing.exec(`PRAGMA busy_timeout = ${ALTERING_MS}`);
        // A table that is made anew is dropped first: its rows must not take others along. The end looks after all of them.
        writing.exec('PRAGMA foreign_keys = OFF');
        try {
          return await whole(async (transaction) => {
            const alteration = alterationOn(writing, transaction);
            const result = await work(alteration);
            alteration.checkReferences();
            return result;
          });
        } finally {
          writing.exec('PRAGMA foreign_keys = ON');
          writing.exec(`PRAGMA busy_timeout = ${BUSY_MS}`);
        }
      }, true),

    async close() {
      await slow?.close();
      await inLine(() => {
        reading.close();
        writing.close();
        return Promise.resolve();
      }, true);
    },
  };
  return store;
}

/** An error of the driver, as opposed to one that the work of a transaction threw by itself. */
const isDrivers = (error: unknown): boolean =>
  error instanceof Error && typeof (error as { code?: unknown }).code === 'string' && !(error instanceof StoreError);

interface Connected extends Reader {
  run(statement: Statement, values: readonly StoreValue[]): Promise<number>;
}

function readerOf(connection: Connection, file: string): Connected {
  const prepared = new WeakMap<Statement, Prepared>();

  const preparedOf = (statement: Statement): Prepared => {
    let found = prepared.get(statement);
    if (found === undefined) prepared.set(statement, (found = prepare(connection, statement.sql)));
    return found;
  };
  const answer = <Result>(statement: Statement, ask: (prepared: Prepared) => Result): Promise<Result> => {
    try {
      return Promise.resolve(ask(preparedOf(statement)));
    } catch (error) {
      // The driver doesn't reset a statement that failed: used again, it would fail again, whatever it is given.
      prepared.delete(statement);
      return Promise.reject(storeError(error, file));
    }
  };

  return {
    first: (statement, values) => answer(statement, (found) => firstRow(found, values)),
    all: (statement, values) => answer(statement, (found) => allRows(found, values)),
    run: (statement, values) => answer(statement, ({ statement: found }) => found.run(values).changes),
  };
}

/** A transaction's own handle: after the end it refuses, instead of writing outside. */
function transactionOn(
  connected: Connected,
  exec: (sql: string) => unknown,
  limit: TimeLimit,
): { handle: Transaction; end(): void } {
  let over = false;
  let points = 0;
  const guard =
    <Arguments extends unknown[], Result>(ask: (...given: Arguments) => Promise<Result>) =>
    (...given: Arguments): Promise<Result> =>
      over ? Promise.reject(transactionOver()) : ask(...given);
  return {
    handle: {
      get signal() {
        return limit.signal;
      },
      first: guard(connected.first),
      all: guard(connected.all),
      run: guard(connected.run),
      async nested(work) {
        if (over) throw transactionOver();
        const point = `n${(points += 1)}`;
        exec(`SAVEPOINT ${point}`);
        try {
          const result = await work();
          if (over) throw transactionOver();
          exec(`RELEASE ${point}`);
          return result;
        } catch (error) {
          // Where all of it is over, its part went with it.
          if (!over) {
            exec(`ROLLBACK TO ${point}`);
            exec(`RELEASE ${point}`);
          }
          throw error;
        }
      },
    },
    end: () => void (over = true),
  };
}
