import { StoreError } from '../store/contract.ts';

/**
 * Steps of one transaction that went ahead of answers that they should have waited for: done again one after the
 * other, they fail in the right words.
 */
export class TooHasty extends Error {}

/** Waits for all steps, so that none goes on by itself; the first of them that failed is what is thrown. */
export async function allOf<Steps extends readonly Promise<unknown>[] | []>(
  steps: Steps,
): Promise<{ -readonly [At in keyof Steps]: Awaited<Steps[At]> }> {
  await Promise.allSettled(steps);
  // They are settled: what is reported first is the first in their order.
  return Promise.all(steps);
}

/** What a database can say of a step because one before it has failed. */
const OF_HASTE: ReadonlySet<string> = new Set(['unique', 'foreign-key', 'too-long', 'refused', 'defect']);

/** The outcome of steps that did not wait for each other. */
export async function hastily<Result>(steps: Promise<Result>): Promise<Result> {
  try {
    return await steps;
  } catch (error) {
    if (error instanceof StoreError && OF_HASTE.has(error.fault.kind)) throw new TooHasty('', { cause: error });
    throw error;
  }
}
