import { tooManyWriters } from '../base/options.ts';

/** SQLite has one writer, and a fair line is better than a race for it. */
export interface Queue {
  /** Runs work when it is its turn: one at a time, in the order of asking. */
  run<Result>(work: () => Promise<Result>): Promise<Result>;
  /** Does work of somebody who waits meanwhile. Where too many wait already, another one is refused at once. */
  waiting<Result>(work: () => Promise<Result>): Promise<Result>;
}

export function makeQueue(most = Infinity): Queue {
  let last: Promise<unknown> = Promise.resolve();
  let waiting = 0;
  const gone = (): void => void (waiting -= 1);
  return {
    run(work) {
      const turn = last.then(work, work);
      last = turn;
      return turn;
    },
    waiting(work) {
      if (waiting > most) return Promise.reject(tooManyWriters(most));
      // The running one counts too, until it has ended.
      waiting += 1;
      const turn = work();
      turn.then(gone, gone);
      return turn;
    },
  };
}
