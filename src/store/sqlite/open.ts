import { setImmediate } from 'node:timers/promises';
import type { Row, Statement, StoreValue } from '../../core/sql/statement.ts';
import { StoreError } from '../../core/store/contract.ts';
import type { Store, Transaction } from '../../core/store/contract.ts';
import type { StoreOptions } from '../base/options.ts';
import { startTimeLimit, timedReading, transactionOver } from '../base/time-limit.ts';
import type { TimeLimit } from '../base/time-limit.ts';
import { alterationOn } from './alter.ts';
import { BUSY_MS, connect } from './connect.ts';
import type { Connection } from './connect.ts';
import { readerOf } from './connected.ts';
import type { Ask, Connected } from './connected.ts';
import { sqliteDdl } from './ddl.ts';
import { sqliteDialect } from './dialect.ts';
import { storeError } from './errors.ts';
import { watchFile } from './file-watch.ts';
import { makeQueue } from './queue.ts';
import { makeSlowReads } from './slow-reads.ts';
import type { SlowReads } from './slow-reads.ts';
import { holdTables } from './tables-mark.ts';
import { isBusy, whenFree } from './when-free.ts';

const ALTERING_MS = 600_000;
/**
 * A read that takes so long, so often in a row, holds up others: it goes to a process of its own from then on. Once
 * may be the machine's fault, unless it is much too long.
 */
const SLOW_MS = 20;
const SLOW_RUNS = 3;
const MUCH_TOO_SLOW_MS = 80;

/** Opens (and makes, where it is missing) the database in a file. Its folder must exist. */
export function openSqlite(
  file: string,
  { slowReads = 0, longestRead = 5_000, longestTransaction, mostWaiting, onMoved }: StoreOptions = {},
): Store {
  let reading: Connection;
  let writing: Connection;
  try {
    writing = connect(file);
    reading = connect(file);
  } catch (error) {
    throw storeError(error, file);
  }
  const watch = watchFile(file);
  const inLine = makeQueue(mostWaiting);
  const read = readerOf(reading);
  const write = readerOf(writing);
  const slow = slowReads === 0 ? undefined : makeSlowReads(file, slowReads, longestRead);
  const held = holdTables(`sqlite:${file}`, onMoved);
  // Some statements turn out to be slow: how often in a row they were.
  const slowRuns = new WeakMap<Statement, number>();
  const isSlow = (statement: Statement): boolean =>
    statement.slow === true || (slowRuns.get(statement) ?? 0) >= SLOW_RUNS;
  /**
   * Does some work when it is its turn. Other programs may stand in its way for so long from now on, the wait
   * included.
   */
  const begun = <Result>(busy: number, mayWait: boolean, work: (busyUntil: number) => Promise<Result>) => {
    const busyUntil = performance.now() + busy;
    return inLine(() => work(busyUntil), mayWait);
  };

  const whole = async <Result>(
    work: (transaction: Transaction) => Promise<Result>,
    longest: number | undefined,
    busyUntil: number,
  ): Promise<Result> => {
    let limit: TimeLimit | undefined;
    try {
      watch.check();
      await whenFree(busyUntil, () => writing.exec('BEGIN IMMEDIATE'));
      held.heed(write);
      limit = startTimeLimit(longest);
      const transaction = transactionOn(write, (sql) => writing.exec(sql), limit, file);
      let result: Result;
      try {
        result = await limit.race(work(transaction.handle));
        transaction.end();
        await whenFree(busyUntil, () => writing.exec('COMMIT'));
      } catch (error) {
        transaction.end();
        throw error;
      }
      // Nobody is told that something is kept which is not.
      watch.check();
      return result;
    } catch (error) {
      if (writing.inTransaction) writing.exec('ROLLBACK');
      throw isDrivers(error) ? storeError(error, file) : error;
    } finally {
      limit?.end();
    }
  };

  const slowly = async (reads: SlowReads, ...given: Parameters<SlowReads['read']>): Promise<readonly Row[]> => {
    watch.checkNowAndThen(performance.now());
    try {
      return await reads.read(...given);
    } finally {
      held.heed(read);
    }
  };

  /** How long a read has taken on the serving thread. */
  const note = (statement: Statement, took: number): void => {
    if (took > MUCH_TOO_SLOW_MS) slowRuns.set(statement, SLOW_RUNS);
    else if (took > SLOW_MS) slowRuns.set(statement, (slowRuns.get(statement) ?? 0) + 1);
    else if (slowRuns.has(statement)) slowRuns.delete(statement);
  };
  /** The outcome of a quick read. Written out: it is what most requests come to. */
  const quickly = <Result>(ask: Ask<Result>, statement: Statement, values: readonly StoreValue[]): Promise<Result> => {
    const start = performance.now();
    try {
      watch.checkNowAndThen(start);
      const result = ask(statement, values);
      // What it says counts if the tables were still those afterwards.
      held.heed(read);
      if (slow !== undefined) note(statement, performance.now() - start);
      return Promise.resolve(result);
    } catch (error) {
      // As soon as it can be had, where another program stands in the way.
      return isBusy(error) ? later(() => ask(statement, values)) : Promise.reject(toldOf(error));
    }
  };
  const later = <Result>(ask: () => Result): Promise<Result> =>
    whenFree(performance.now() + Math.min(BUSY_MS, longestRead), () => {
      const result = ask();
      held.heed(read);
      return result;
    }).catch((error: unknown) => {
      throw toldOf(error);
    });
  /** A statement that goes wrong on tables that have moved on says nothing else. */
  const toldOf = (error: unknown): StoreError => {
    try {
      held.heed(read);
    } catch (moved) {
      return storeError(isBusy(moved) ? error : moved, file);
    }
    return storeError(error, file);
  };

  const store: Store = {
    kind: 'sqlite',
    address: `sqlite:${file}`,
    dialect: sqliteDialect,
    ddl: sqliteDdl,
    first(statement, values, requester) {
      if (slow === undefined || !isSlow(statement)) return quickly(read.first, statement, values);
      return slowly(slow, statement, values, false, requester).then(([row]) => row);
    },
    all(statement, values, requester) {
      if (slow === undefined || !isSlow(statement)) return quickly(read.all, statement, values);
      return slowly(slow, statement, values, true, requester);
    },

    reading: (work, requester) => timedReading(store, longestRead, work, requester),

    transaction: (work, { unlimited = false } = {}) =>
      begun(BUSY_MS, unlimited, (busyUntil) => whole(work, unlimited ? undefined : longestTransaction, busyUntil)),

    // Another program may be at the same work, for as long as that takes.
    alter: (work) =>
      begun(ALTERING_MS, true, async (busyUntil) => {
        // A table that is made anew is dropped first: its rows must not take others along. The end looks after all of
        // them.
        writing.exec('PRAGMA foreign_keys = OFF');
        try {
          return await whole(
            async (transaction) => {
              const alteration = alterationOn(writing, transaction, held);
              const result = await work(alteration);
              alteration.checkReferences();
              return result;
            },
            undefined,
            busyUntil,
          );
        } finally {
          writing.exec('PRAGMA foreign_keys = ON');
        }
      }),

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

/** A transaction lets others have the thread so often: reads, for which nothing else would make room. */
const SLICE_MS = 10;

/**
 * A transaction's own handle: after the end it refuses, instead of writing outside. The driver never waits, so that
 * between two statements is the only place to look at the clock, and to let others go on.
 */
function transactionOn(
  connected: Connected,
  exec: (sql: string) => unknown,
  limit: TimeLimit,
  file: string,
): { handle: Transaction; end(): void } {
  let over = false;
  let points = 0;
  let sliceBegun = performance.now();
  const ready = async (): Promise<void> => {
    if (over) throw transactionOver();
    if (limit.isPast()) throw limit.error();
    if (performance.now() - sliceBegun < SLICE_MS) return;
    await setImmediate();
    sliceBegun = performance.now();
    // It may have been given up meanwhile.
    if (over) throw transactionOver();
  };
  const guard =
    <Result>(ask: (statement: Statement, values: readonly StoreValue[]) => Result) =>
    async (statement: Statement, values: readonly StoreValue[]): Promise<Result> => {
      await ready();
      try {
        return ask(statement, values);
      } catch (error) {
        throw storeError(error, file);
      }
    };
  return {
    handle: {
      get signal() {
        return limit.signal;
      },
      first: guard(connected.first),
      all: guard(connected.all),
      run: guard(connected.run),
      async nested(work) {
        await ready();
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
