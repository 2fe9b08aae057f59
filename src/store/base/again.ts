interface AgainOptions {
  /** How often, the first time included. */
  readonly tries: number;
  /** Milliseconds that are waited at least before the next try, at most; they double with each. */
  readonly longestPause?: number;
  /** Whether work that failed in this way may succeed when it is done again. */
  isPassing(error: unknown): boolean;
}

/** Does work again, from its beginning, that lost against another transaction. */
export async function again<Result>(
  { tries, longestPause = Infinity, isPassing }: AgainOptions,
  work: () => Promise<Result>,
): Promise<Result> {
  for (let tried = 1; ; tried += 1) {
    try {
      return await work();
    } catch (error) {
      if (!isPassing(error) || tried === tries) throw error;
      // The winner needs a moment, and two losers should not meet again.
      const pause = Math.min(2 ** tried, longestPause);
      await new Promise((resolve) => setTimeout(resolve, pause + Math.random() * pause));
    }
  }
}
