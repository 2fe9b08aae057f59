/** Random numbers that are the same for the same seed. */
export interface Random {
  /** From 0 to below 1. */
  next(): number;
  /** A whole number from 0 to `most`. */
  upTo(most: number): number;
  chance(share: number): boolean;
  /** One of a list that is not empty. */
  one<Item>(items: readonly Item[]): Item;
}

/** The generator mulberry32: small, quick, and good enough for tests. */
export function randomOf(seed: number): Random {
  let state = seed >>> 0;
  const next = (): number => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
  };
  const upTo = (most: number): number => Math.floor(next() * (most + 1));
  return { next, upTo, chance: (share) => next() < share, one: (items) => items[upTo(items.length - 1)]! };
}
