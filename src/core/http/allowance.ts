import { LRUCache } from 'lru-cache';

/** A limit for each minute. */
export interface Allowance {
  /** Takes one turn of a caller. Returns 0, or the seconds until the next turn if none is left. */
  take(name: string): number | Promise<number>;
  /** Gives a turn back that was not used up. */
  giveBack(name: string): void;
}

interface MigrationStatus {
  left: number;
  /** Milliseconds. */
  at: number;
}

/** The most callers that are remembered; the one with the oldest request is forgotten first, with its count. */
const MOST_KEPT = 100_000;
const MINUTE_MS = 60_000;

/** An allowance of this process alone: so many at once, refilled as time goes by. */
export function makeAllowance(perMinute: number, now: () => Date): Allowance {
  // After a minute without requests there is nothing to remember.
  let kept: LRUCache<string, MigrationStatus> | undefined;
  // Allocating the cache takes a moment, so a service starts without it.
  const standingsNow = (): LRUCache<string, MigrationStatus> => (kept ??= new LRUCache({ max: MOST_KEPT }));
  const each = MINUTE_MS / perMinute;

  function standingOf(name: string): MigrationStatus {
    const [time, statuses] = [now().getTime(), standingsNow()];
    let standing = statuses.get(name);
    if (standing === undefined) statuses.set(name, (standing = { left: perMinute, at: time }));
    standing.left = Math.min(perMinute, standing.left + Math.max(0, time - standing.at) / each);
    standing.at = time;
    return standing;
  }

  return {
    take(name) {
      const standing = standingOf(name);
      if (standing.left < 1) return Math.max(1, Math.ceil(((1 - standing.left) * each) / 1000));
      standing.left -= 1;
      return 0;
    },
    giveBack(name) {
      const standing = standingOf(name);
      standing.left = Math.min(perMinute, standing.left + 1);
    },
  };
}
