import type { Requester } from './contract.ts';

/** Places for work of which there may only be so much at once, handed out fairly to those who ask. */
export interface Turns {
  /**
   * Resolves once there is a place, to what gives it back. Rejects with the reason of `signal` where that is aborted
   * before, and with `crowded()` where the requester has too many waiting already.
   */
  take(requester: Requester | undefined): Promise<() => void>;
}

export interface TurnsOptions {
  readonly places: number;
  /** So many of them one requester may have. */
  readonly share: number;
  /** So many of one requester may wait. */
  readonly mostWaiting: number;
  crowded(): Error;
}

/** Those who wait take turns, however much one of them asks for. */
export function makeTurns({ places, share, mostWaiting, crowded }: TurnsOptions): Turns {
  const waiting = new Map<string, (() => void)[]>();
  const taken = new Map<string, number>();
  let free = places;

  const count = (by: string): number => taken.get(by) ?? 0;

  function giveBack(by: string): void {
    free += 1;
    if (count(by) === 1) taken.delete(by);
    else taken.set(by, count(by) - 1);
    next();
  }

  function next(): void {
    for (const [by, line] of waiting) {
      if (free === 0) return;
      if (count(by) >= share) continue;
      const start = line.shift()!;
      // A requester with more places goes to the end of the queue.
      waiting.delete(by);
      if (line.length > 0) waiting.set(by, line);
      free -= 1;
      taken.set(by, count(by) + 1);
      start();
      return next();
    }
  }

  function leave(by: string, start: () => void): void {
    const line = waiting.get(by);
    if (line?.includes(start) !== true) return;
    line.splice(line.indexOf(start), 1);
    if (line.length === 0) waiting.delete(by);
  }

  return {
    take({ by, signal } = { by: '' }) {
      const line = waiting.get(by) ?? [];
      if (line.length >= mostWaiting) return Promise.reject(crowded());
      return new Promise((resolve, reject) => {
        const giveUp = (): void => {
          leave(by, start);
          reject(signal!.reason as Error);
        };
        const start = (): void => {
          signal?.removeEventListener('abort', giveUp);
          let isHeld = true;
          resolve(() => {
            if (isHeld) giveBack(by);
            isHeld = false;
          });
        };
        if (signal?.aborted === true) return reject(signal.reason as Error);
        signal?.addEventListener('abort', giveUp, { once: true });
        line.push(start);
        waiting.set(by, line);
        next();
      });
    },
  };
}
