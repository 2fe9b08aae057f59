/** The time of a trial: it stands still while a request is answered, so that the oracle knows it. */
export interface TrialClock {
  now(): Date;
  /** Goes on to the present, and at least by a millisecond. */
  tick(): void;
  /** Goes on by more than services keep what they know of callers. */
  skip(): void;
}

/** Longer than a service keeps a caller's record in memory. */
const SKIPPED_MS = 6_000;

export function trialClock(): TrialClock {
  let [ahead, time] = [0, Date.now()];
  return {
    now: () => new Date(time),
    tick() {
      time = Math.max(time + 1, Date.now() + ahead);
    },
    skip() {
      ahead += SKIPPED_MS;
      time += SKIPPED_MS;
    },
  };
}
