import type { Row, Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Reader, StoreError } from '../../core/store/contract.ts';
import type { ChangeMark } from './change-mark.ts';
import { BUSY_MS } from './connect.ts';
import type { Ask, Connected } from './connected.ts';
import { storeError } from './errors.ts';
import type { watchFile } from './file-watch.ts';
import type { SlowReads } from './slow-reads.ts';
import type { TablesMark } from './tables-mark.ts';
import { isBusy, whenFree } from './when-free.ts';

/**
 * A read that takes so long, so often in a row, holds up others: it goes to a process of its own from then on. Once
 * may be the machine's fault, unless it is much too long.
 */
const SLOW_MS = 20;
const SLOW_RUNS = 3;
const MUCH_TOO_SLOW_MS = 80;

/** What reads outside of transactions are answered with. */
interface Reads {
  readonly file: string;
  readonly read: Connected;
  /** Undefined where slow reads are done like any other. */
  readonly slow: SlowReads | undefined;
  readonly watch: ReturnType<typeof watchFile>;
  readonly held: TablesMark;
  readonly changes: ChangeMark | undefined;
  /** Milliseconds. */
  readonly longestRead: number;
}

/** Reads on the serving thread where they are quick, and in a process of its own where they are slow. */
export function readsOn({ file, read, slow, watch, held, longestRead, changes }: Reads): Reader {
  // Some statements turn out to be slow: how often in a row they were.
  const slowRuns = new WeakMap<Statement, number>();
  const isSlow = (statement: Statement): boolean =>
    statement.slow === true || (slowRuns.get(statement) ?? 0) >= SLOW_RUNS;

  const slowly = async (reads: SlowReads, ...given: Parameters<SlowReads['read']>): Promise<readonly Row[]> => {
    watch.checkNowAndThen(performance.now());
    try {
      return await reads.read(...given);
    } finally {
      held.heed(read, changes?.now());
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
      held.heed(read, changes?.now());
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
      held.heed(read, changes?.now());
      return result;
    }).catch((error: unknown) => {
      throw toldOf(error);
    });
  /** A statement that goes wrong on tables that have moved on says nothing else. */
  const toldOf = (error: unknown): StoreError => {
    try {
      held.heed(read, changes?.now());
    } catch (moved) {
      return storeError(isBusy(moved) ? error : moved, file);
    }
    return storeError(error, file);
  };

  return {
    first(statement, values, requester) {
      if (slow === undefined || !isSlow(statement)) return quickly(read.first, statement, values);
      return slowly(slow, statement, values, false, requester).then(([row]) => row);
    },
    all(statement, values, requester) {
      if (slow === undefined || !isSlow(statement)) return quickly(read.all, statement, values);
      return slowly(slow, statement, values, true, requester);
    },
  };
}
