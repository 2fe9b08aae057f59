import { StoreError } from '../../core/store/contract.ts';
import type { Requester } from '../../core/store/contract.ts';
import { makeTurns } from '../../core/store/turns.ts';
import { tooSlow } from './options.ts';

/** Slow reads, of which only some run at once. */
export interface FairLine {
  /**
   * The outcome of the work, once it has had a place; or a `StoreError` as soon as its time is up, the wait included,
   * or its requester has gone. Then its signal aborts, and it keeps its place until it has ended.
   */
  run<Result>(requester: Requester | undefined, work: (stop: AbortSignal) => Promise<Result>): Promise<Result>;
}

/** A requester with more of them waiting would get no answer to the last ones in time anyway. */
const MOST_WAITING = 100;

const crowded = (): StoreError =>
  new StoreError({ kind: 'crowded' }, `${MOST_WAITING} slow reads of one caller wait already`, 'try again in a moment');

/**
 * Somebody may have all `places` but one, so that others never wait for them alone. Each read has `longest`
 * milliseconds.
 */
export function makeFairLine(places: number, longest: number): FairLine {
  const turns = makeTurns({
    places,
    share: Math.max(1, places - 1),
    mostWaiting: MOST_WAITING,
    crowded,
  });
  return {
    run(requester, work) {
      const stop = new AbortController();
      const giveUp = (): void => stop.abort(tooSlow(longest));
      const timer = setTimeout(giveUp, longest);
      requester?.signal?.addEventListener('abort', giveUp, { once: true });
      if (requester?.signal?.aborted === true) giveUp();
      const done = (async () => {
        const giveBack = await turns.take({ by: requester?.by ?? '', signal: stop.signal });
        try {
          return await work(stop.signal);
        } finally {
          giveBack();
        }
      })();
      const stopped = new Promise<never>((_resolve, reject) => {
        const fail = (): void => reject(stop.signal.reason as Error);
        if (stop.signal.aborted) fail();
        else stop.signal.addEventListener('abort', fail, { once: true });
      });
      return Promise.race([done, stopped]).finally(() => {
        clearTimeout(timer);
        requester?.signal?.removeEventListener('abort', giveUp);
      });
    },
  };
}
