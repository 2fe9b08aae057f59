import { StoreError } from '../core/store/contract.ts';

/** How a store is to treat reads. Commands that work alone need none of it. */
export interface StoreOptions {
  /** Milliseconds that a read may take; left out: as long as it likes, or the store's own limit. */
  readonly longestRead?: number | undefined;
  /** How many slow reads may be at work beside the quick ones; left out: they are done like any other. */
  readonly slowReads?: number | undefined;
}

/** A slow read that nobody waits for any longer. */
export const tooSlow = (longestRead: number): StoreError =>
  new StoreError(
    { kind: 'too-slow' },
    `a read took more than ${longestRead / 1000} s`,
    'an index on what it filters and sorts by makes it quick; limits.read in vantfell.yaml is the limit',
  );
