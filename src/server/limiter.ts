import { RateLimiterRes } from 'rate-limiter-flexible';
import type { RateLimiterAbstract } from 'rate-limiter-flexible';
import type { Allowance } from '../core/http/allowance.ts';

export const MINUTE_S = 60;

/** An allowance that a limiter counts, under names of its own for callers. */
export const limiterAllowance = (
  limiter: Pick<RateLimiterAbstract, 'consume' | 'reward'>,
  nameOf: (by: string) => string,
): Allowance => ({
  take: (by) =>
    limiter.consume(nameOf(by)).then(
      () => 0,
      (refused: unknown) => {
        // Whoever counts does not answer: it holds nobody up.
        if (!(refused instanceof RateLimiterRes)) return 0;
        return Math.max(1, Math.ceil(refused.msBeforeNext / 1_000));
      },
    ),
  giveBack: (by) => void limiter.reward(nameOf(by)).catch(() => undefined),
});
