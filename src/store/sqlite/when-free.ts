import { setTimeout } from 'node:timers/promises';

const LONGEST_PAUSE_MS = 25;

/** Whether another program stands in the way of a statement. */
export const isBusy = (error: unknown): boolean =>
  /^SQLITE_(BUSY|LOCKED)/.test(String((error as { code?: unknown }).code));

/**
 * The outcome of `attempt`, which is made again where another program stands in the way, until `deadline` (of
 * `performance.now()`). The driver's own way of waiting would hold up everything else in this process.
 */
export async function whenFree<Result>(deadline: number, attempt: () => Result): Promise<Result> {
  for (let pause = 1; ; pause = Math.min(2 * pause, LONGEST_PAUSE_MS)) {
    try {
      return attempt();
    } catch (error) {
      if (!isBusy(error) || performance.now() > deadline) throw error;
    }
    await setTimeout(pause);
  }
}
