import { setImmediate } from 'node:timers/promises';
import type { Transaction } from '../../core/store/contract.ts';
import { startTimeLimit } from '../base/time-limit.ts';
import type { Connection } from './connect.ts';
import { storeErrorOf, transactionOn } from './transactions.ts';
import type { TransactionParts } from './transactions.ts';
import { isBusy, whenFree } from './when-free.ts';

/** Does brief work as a part of a transaction. `longest` is in milliseconds; see `RunWhole` for `busyUntil`. */
export type RunPart = <Result>(
  work: (transaction: Transaction) => Promise<Result>,
  longest: number | undefined,
  busyUntil: number,
) => Promise<Result>;

/** A part of a transaction, and whoever waits for it. */
interface Part {
  readonly busyUntil: number;
  /** Does the work; what it gives is called once it is known whether the work is kept. */
  run(): Promise<Outcome>;
  refuse(error: unknown): void;
}

/** `error` where the work failed. */
interface Outcome {
  readonly error?: unknown;
  tell(): void;
}

/** A transaction takes no more parts than this, and begins none after so many milliseconds. */
const MOST_PARTS = 64;
const LONGEST_MS = 10;

/**
 * Writers that wait share the next transaction, and its commit, which takes as long as what a brief one writes: each
 * has a part that can fail alone. Nobody is answered before the commit. `inLine` lets a transaction run when it is its
 * turn.
 */
export function sharedCommits(parts: TransactionParts, inLine: (work: () => Promise<void>) => Promise<void>): RunPart {
  const { writing, write, file, watch } = parts;
  const points = savepointsOn(writing);
  /** Those who share the next transaction, or that under way. */
  let open: Part[] | undefined;

  const enter = (part: Part): void => {
    if (open !== undefined) open.push(part);
    else letIn([part]);
  };
  /** Lets parts share a transaction that others may join. */
  function letIn(sharing: Part[]): void {
    open = sharing;
    void inLine(() => runShared(sharing));
  }
  const close = (sharing: readonly Part[]): void => {
    if (open === sharing) open = undefined;
  };

  async function runShared(sharing: Part[]): Promise<void> {
    // What comes in the same turn of the event loop is let in before it begins.
    await setImmediate();
    const first = sharing[0]!;
    try {
      watch.check();
      await whenFree(first.busyUntil, () => writing.exec('BEGIN IMMEDIATE'));
      parts.heed();
    } catch (error) {
      close(sharing);
      if (writing.inTransaction) writing.exec('ROLLBACK');
      // Another program stood in the way of the first for long enough; the others came later.
      const refused = isBusy(error) ? sharing.splice(0, 1) : sharing.splice(0);
      for (const one of refused) one.refuse(storeErrorOf(error, file));
      if (sharing.length > 0) letIn(sharing);
      return;
    }
    const outcomes: Outcome[] = [];
    let failure: unknown;
    try {
      await doAll(sharing, outcomes);
      await whenFree(first.busyUntil, () => writing.exec('COMMIT'));
    } catch (error) {
      if (writing.inTransaction) writing.exec('ROLLBACK');
      failure = error ?? new Error();
    }
    close(sharing);
    const rest = sharing.splice(outcomes.length);
    if (failure === undefined) tellAll(sharing, outcomes);
    else if (sharing.length === 1) sharing[0]!.refuse(outcomes[0]?.error ?? storeErrorOf(failure, file));
    // What took all of them back is the fault of one: by itself, each hears what is its own.
    else for (const one of sharing) void inLine(() => runShared([one]));
    if (rest.length > 0) letIn(rest);
  }

  /** Does the work of one part after the other, with those that come meanwhile. Throws where none can be kept. */
  async function doAll(sharing: readonly Part[], outcomes: Outcome[]): Promise<void> {
    const closing = performance.now() + LONGEST_MS;
    // One that is alone needs no way back but that of the transaction.
    const isAlone = sharing.length === 1;
    for (const part of sharing) {
      if (outcomes.length > 0 && (outcomes.length === MOST_PARTS || performance.now() > closing)) break;
      const isMarked = !isAlone || outcomes.length > 0;
      if (isMarked) points.begin();
      const outcome = await part.run();
      outcomes.push(outcome);
      const hasFailed = 'error' in outcome;
      if (hasFailed && !(isMarked && writing.inTransaction)) throw outcome.error;
      if (hasFailed) points.takeBack();
      else if (isMarked) points.keep();
    }
  }

  function tellAll(sharing: readonly Part[], outcomes: readonly Outcome[]): void {
    try {
      // No commit is reported that did not happen.
      watch.check();
    } catch (error) {
      for (const one of sharing) one.refuse(error);
      return;
    }
    for (const one of outcomes) one.tell();
  }

  return (work, longest, busyUntil) =>
    new Promise((resolve, reject) => {
      enter({
        busyUntil,
        refuse: reject,
        async run() {
          const limit = startTimeLimit(longest);
          const transaction = transactionOn(write, (sql) => writing.exec(sql), limit, file);
          try {
            const result = await limit.race(work(transaction.handle));
            return { tell: () => resolve(result) };
          } catch (failure) {
            const error = storeErrorOf(failure, file);
            return { error, tell: () => reject(error as Error) };
          } finally {
            transaction.end();
            limit.end();
          }
        },
      });
    });
}

/** The savepoint of a part. Its statements are prepared when they are first used. */
function savepointsOn(writing: Connection) {
  const prepared = new Map<string, ReturnType<Connection['prepare']>>();
  const run = (sql: string): void => {
    let statement = prepared.get(sql);
    if (statement === undefined) prepared.set(sql, (statement = writing.prepare(sql)));
    statement.run([]);
  };
  return {
    begin: () => run('SAVEPOINT part'),
    keep: () => run('RELEASE part'),
    takeBack() {
      run('ROLLBACK TO part');
      run('RELEASE part');
    },
  };
}
