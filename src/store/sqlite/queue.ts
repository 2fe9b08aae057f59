import { tooManyWriters } from '../base/options.ts';

/** Runs work one at a time, in the order of asking. */
export type Queue = <Result>(work: () => Promise<Result>, mayWait?: boolean) => Promise<Result>;

/**
 * SQLite has one writer, and a fair line is better than a race for it. Where `most` wait already, another one is
 * refused at once, unless it may wait however long the line is.
 */
export function makeQueue(most = Infinity): Queue {
  let last: Promise<unknown> = Promise.resolve();
  let waiting = 0;
  return (work, mayWait = false) => {
    if (waiting > most && !mayWait) {
      return Promise.reject(tooManyWriters(most));
    }
    // The running one counts too, until it has ended.
    waiting += 1;
    const turn = last.then(work, work);
    const done = (): void => void (waiting -= 1);
    last = turn.then(done, done);
    return turn;
  };
}
