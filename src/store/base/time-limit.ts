import { StoreError } from '../../core/store/contract.ts';
import type { Reader, Requester } from '../../core/store/contract.ts';
import { tooSlow, transactionTooSlow } from './options.ts';

/** What bounds the time of one transaction. */
export interface TimeLimit {
  /** Aborted when the time is up. */
  readonly signal: AbortSignal;
  /** The outcome of the work; or, once the time is up, a `StoreError`, whatever becomes of the work. */
  race<Result>(work: Promise<Result>): Promise<Result>;
  /** Whether the work was given up because its time was up. */
  isUp(): boolean;
  /** Whether the time is up. Work that never waits keeps the timer from firing. */
  isPast(): boolean;
  /** What is thrown then. */
  error(): Error;
  /** Ends the limit. */
  end(): void;
}

/**
 * A server that says nothing for so much longer than a statement may take is not there any more, whatever the socket
 * says.
 */
export const SILENCE_MS = 2_000;

/** One clock ticks for all of them, while there are any: a timer for each would cost more than a statement. */
const TICK_MS = 50;
const running = new Set<{ readonly deadline: number; up(): void }>();
let clock: NodeJS.Timeout | undefined;

function tick(): void {
  if (running.size === 0) {
    clearInterval(clock);
    clock = undefined;
    return;
  }
  const now = performance.now();
  for (const one of running) {
    if (one.deadline > now) continue;
    running.delete(one);
    one.up();
  }
}

/** Calls `up` once so many milliseconds have gone by, unless what it gives is called before. */
export function startClock(milliseconds: number, up: () => void): () => void {
  const entry = { deadline: performance.now() + milliseconds, up };
  running.add(entry);
  // It keeps no program alive that has nothing else to do.
  clock ??= setInterval(tick, TICK_MS).unref();
  return () => void running.delete(entry);
}

/** A limit of so many milliseconds, from now on; none where they are undefined. What it throws is `tooLong` of them. */
export function startTimeLimit(longest: number | undefined, tooLong = transactionTooSlow): TimeLimit {
  // Most transactions are through before anybody has asked for the signal.
  let controller: AbortController | undefined;
  let isUp = false;
  let giveUp: ((error: Error) => void) | undefined;
  const deadline = longest === undefined ? Infinity : performance.now() + longest;
  const up = (): void => {
    isUp = true;
    const error = tooLong(longest!);
    controller?.abort(error);
    giveUp?.(error);
  };
  const end = longest === undefined ? (): void => undefined : startClock(longest, up);
  return {
    get signal() {
      if (controller === undefined) {
        controller = new AbortController();
        if (isUp) controller.abort(tooLong(longest!));
      }
      return controller.signal;
    },
    race(work) {
      if (longest === undefined) return work;
      return new Promise((resolve, reject) => {
        giveUp = reject;
        if (isUp) reject(tooLong(longest));
        work.then(resolve, reject);
      });
    },
    isUp: () => isUp,
    isPast: () => performance.now() > deadline,
    error: () => tooLong(longest ?? Infinity),
    end,
  };
}

/** Does some work with a reader, in the time of one read. */
export async function timedReading<Result>(
  reader: Reader,
  longest: number,
  work: (reader: Reader, signal: AbortSignal) => Promise<Result>,
  requester: Requester | undefined,
): Promise<Result> {
  const limit = startTimeLimit(longest, tooSlow);
  try {
    const own: Reader = {
      first: (statement, values) => reader.first(statement, values, requester),
      all: (statement, values) => reader.all(statement, values, requester),
    };
    return await limit.race(work(own, limit.signal));
  } finally {
    limit.end();
  }
}

/** What a transaction's handle answers once it has ended. */
export const transactionOver = (): StoreError =>
  new StoreError({ kind: 'defect' }, 'this transaction has ended', 'await every call within it');
