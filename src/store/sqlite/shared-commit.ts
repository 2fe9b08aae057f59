import { setImmediate } from 'node:timers/promises';
import type { Transaction } from '../../core/store/contract.ts';
import { startTimeLimit } from '../base/time-limit.ts';
import type { Connection } from './connect.ts';
import type { FileWatch } from './file-watch.ts';
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
  const { writing, file, watch } = parts;
  const points = savepointsOn(writing);
  /** Those who share the next transaction, or that under way. */
  let open: Part[] | undefined;

  /** Lets parts share a transaction that others may join. */
  function letIn(sharing: Part[]): void {
    open = sharing;
    begin(sharing);
  }
  /** Lets parts have a transaction when it is their turn. Nobody is left without an answer, whatever fails. */
  function begin(sharing: Part[]): void {
    inLine(() => runShared(sharing)).catch((error: unknown) => {
      close(sharing);
      for (const one of sharing) one.refuse(storeErrorOf(error, file));
    });
  }
  const close = (sharing: readonly Part[]): void => {
    if (open === sharing) open = undefined;
  };
  const rollBack = (): void => {
    if (writing.inTransaction) writing.exec('ROLLBACK');
  };

  async function runShared(sharing: Part[]): Promise<void> {
    // What comes in the same turn of the event loop is let in before it begins.
    await setImmediate();
    const { busyUntil } = sharing[0]!;
    try {
      watch.check();
      await whenFree(busyUntil, () => writing.exec('BEGIN IMMEDIATE'));
      parts.heed();
    } catch (error) {
      close(sharing);
      rollBack();
      // Another program stood in the way of the first for long enough; the others came later.
      const refused = isBusy(error) ? sharing.splice(0, 1) : sharing.splice(0);
      for (const one of refused) one.refuse(storeErrorOf(error, file));
      if (sharing.length > 0) letIn(sharing);
      return;
    }
    const outcomes: Outcome[] = [];
    let failure: { readonly error: unknown } | undefined;
    try {
      await doAll(sharing, outcomes, points, () => writing.inTransaction);
      await whenFree(busyUntil, () => writing.exec('COMMIT'));
    } catch (error) {
      rollBack();
      failure = { error };
    }
    close(sharing);
    const rest = sharing.splice(outcomes.length);
    if (failure === undefined) tellAll(sharing, outcomes, watch);
    else if (sharing.length === 1) sharing[0]!.refuse(outcomes[0]?.error ?? storeErrorOf(failure.error, file));
    // What took all of them back is the fault of one: by itself, each hears what is its own.
    else for (const one of sharing) begin([one]);
    if (rest.length > 0) letIn(rest);
  }

  return (work, longest, busyUntil) =>
    new Promise((resolve, reject) => {
      const run = (): Promise<Outcome> => outcomeOf(parts, work, longest, resolve, reject);
      const part = { busyUntil, run, refuse: reject };
      if (open === undefined) letIn([part]);
      else open.push(part);
    });
}

/** Does the work of one part after the other, with those that come meanwhile. Throws where none can be kept. */
async function doAll(
  sharing: readonly Part[],
  outcomes: Outcome[],
  points: Savepoints,
  isUnderWay: () => boolean,
): Promise<void> {
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
    if (hasFailed && !(isMarked && isUnderWay())) throw outcome.error;
    if (hasFailed) points.takeBack();
    else if (isMarked) points.keep();
  }
}

function tellAll(sharing: readonly Part[], outcomes: readonly Outcome[], watch: FileWatch): void {
  try {
    // No commit is reported that did not happen.
    watch.check();
  } catch (error) {
    for (const one of sharing) one.refuse(error);
    return;
  }
  for (const one of outcomes) one.tell();
}

/** What comes of work, to be told later. */
async function outcomeOf<Result>(
  { write, writing, file }: TransactionParts,
  work: (transaction: Transaction) => Promise<Result>,
  longest: number | undefined,
  resolve: (result: Result) => void,
  reject: (error: unknown) => void,
): Promise<Outcome> {
  const limit = startTimeLimit(longest);
  const transaction = transactionOn(write, (sql) => writing.exec(sql), limit, file);
  try {
    const result = await limit.race(work(transaction.handle));
    return { tell: () => resolve(result) };
  } catch (failure) {
    const error = storeErrorOf(failure, file);
    return { error, tell: () => reject(error) };
  } finally {
    transaction.end();
    limit.end();
  }
}

interface Savepoints {
  begin(): void;
  keep(): void;
  takeBack(): void;
}

/** The savepoint of a part. Its statements are prepared when they are first used. */
function savepointsOn(writing: Connection): Savepoints {
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
