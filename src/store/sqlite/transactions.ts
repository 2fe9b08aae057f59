import { setImmediate } from 'node:timers/promises';
import type { Statement, StoreValue } from '../../core/sql/statement.ts';
import { StoreError } from '../../core/store/contract.ts';
import type { Transaction } from '../../core/store/contract.ts';
import { startTimeLimit, transactionOver } from '../base/time-limit.ts';
import type { TimeLimit } from '../base/time-limit.ts';
import type { Connection } from './connect.ts';
import type { Connected } from './connected.ts';
import { storeError } from './errors.ts';
import type { FileWatch } from './file-watch.ts';
import { whenFree } from './when-free.ts';

/** Does work in a transaction. `longest` is in milliseconds; until `busyUntil`, other programs may stand in its way. */
export type RunWhole = <Result>(
  work: (transaction: Transaction) => Promise<Result>,
  longest: number | undefined,
  busyUntil: number,
) => Promise<Result>;

/** What transactions of one file work with. */
export interface TransactionParts {
  readonly writing: Connection;
  readonly write: Connected;
  readonly file: string;
  readonly watch: FileWatch;
  /** Throws where the tables are others than those that the store is held to. */
  heed(): void;
}

export function transactionsOn({ writing, write, file, watch, heed }: TransactionParts): RunWhole {
  return async (work, longest, busyUntil) => {
    let limit: TimeLimit | undefined;
    try {
      watch.check();
      await whenFree(busyUntil, () => writing.exec('BEGIN IMMEDIATE'));
      heed();
      limit = startTimeLimit(longest);
      const transaction = transactionOn(write, (sql) => writing.exec(sql), limit, file);
      let result: Awaited<ReturnType<typeof work>>;
      try {
        result = await limit.race(work(transaction.handle));
        transaction.end();
        await whenFree(busyUntil, () => writing.exec('COMMIT'));
      } catch (error) {
        transaction.end();
        throw error;
      }
      // No commit is reported that did not happen.
      watch.check();
      return result;
    } catch (error) {
      if (writing.inTransaction) writing.exec('ROLLBACK');
      throw storeErrorOf(error, file);
    } finally {
      limit?.end();
    }
  };
}

/** An error of the driver in words; one that the work of a transaction threw by itself as it is. */
export function storeErrorOf(error: unknown, file: string): unknown {
  const isDrivers =
    error instanceof Error && typeof (error as { code?: unknown }).code === 'string' && !(error instanceof StoreError);
  return isDrivers ? storeError(error, file) : error;
}

/** A transaction lets others have the thread so often: reads, for which nothing else would make room. */
const SLICE_MS = 10;

/**
 * A transaction's own handle: after the end it refuses, instead of writing outside. The driver never waits, so that
 * between two statements is the only place to look at the clock, and to let others go on.
 */
export function transactionOn(
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
      send(statement, values) {
        if (over) throw transactionOver();
        try {
          return Promise.resolve(connected.run(statement, values));
        } catch (error) {
          throw storeError(error, file);
        }
      },
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
