import type { Replicas } from '../../core/model/service.ts';
import { StoreError } from '../../core/store/contract.ts';
import type { Alteration } from '../../core/store/contract.ts';

/** The limits of a store under load. Commands that work alone need none. */
export interface StoreOptions {
  /** Milliseconds that work on tables waits for other users of them; left out: two minutes. */
  readonly longestWait?: number | undefined;
  /** Told once when the tables that it is held to have moved on. */
  readonly onMoved?: (() => void) | undefined;
  /** Milliseconds that a read may take; left out: as long as it likes, or the store's own limit. */
  readonly longestRead?: number | undefined;
  /** Bytes of answers that are kept while the database has not changed; left out: none. */
  readonly cache?: number | undefined;
  /** How many slow reads may run beside the quick ones; left out: they run like any other. */
  readonly slowReads?: number | undefined;
  /** Milliseconds that a transaction may take; left out: as long as it likes. */
  readonly longestTransaction?: number | undefined;
  /** Databases that follow this one: they answer reads that may be so old. */
  readonly replicas?: Replicas | undefined;
  /** Told what goes on with other hosts. */
  readonly onNews?: ((text: string) => void) | undefined;
  /** The database was there already: it is left in the form that it has, and not made where it is missing. */
  readonly asItIs?: boolean | undefined;
  /** How many writers may wait where there is room for one at a time; left out: as many as like. */
  readonly mostWaiting?: number | undefined;
}

/** The limits of a server's store, with what is usual where nothing is said. */
export const withUsualLimits = (options: StoreOptions) => ({
  ...options,
  longestRead: options.longestRead ?? 5_000,
  slowReads: options.slowReads ?? 0,
  mostWaiting: options.mostWaiting ?? Infinity,
  longestWait: options.longestWait ?? 120_000,
});

/** The limits of a server's connections, in milliseconds. */
export interface ConnectionLimits {
  readonly longestRead: number;
  readonly longestTransaction: number | undefined;
  /** How many slow reads may run beside the quick ones. */
  readonly slowReads: number;
}

/** A slow read that nobody waits for any longer. */
export const tooSlow = (longestRead: number): StoreError =>
  new StoreError(
    { kind: 'too-slow' },
    `a read took more than ${longestRead / 1000} s`,
    'an index on what it filters and sorts by makes it quick; limits.read in vantfell.yaml is the limit',
  );

/** One writer more than may wait. */
export const tooManyWriters = (waiting: number): StoreError =>
  new StoreError(
    { kind: 'crowded' },
    `${waiting} writers wait already`,
    'try again in a moment; limits.queue in vantfell.yaml is the limit',
  );

export const transactionTooSlow = (longest: number): StoreError =>
  new StoreError(
    { kind: 'too-slow' },
    `a transaction took more than ${longest / 1000} s, and was rolled back`,
    'let it do less, or wait for less; limits.transaction in vantfell.yaml is the limit',
  );

/** What a store that is held to its tables says once they are others. */
export const tablesMoved = (address: string): StoreError =>
  new StoreError(
    { kind: 'moved' },
    `a migration has changed the tables of ${address} meanwhile`,
    'start this again; vantfell serve --watch does so by itself',
  );

/** Work on tables was given up, because others use them. */
export const tablesInUse = (whom: string, cause?: unknown): StoreError =>
  new StoreError(
    { kind: 'busy' },
    `the tables are in use by ${whom === '' ? 'others' : whom}`,
    'end what they do, or wait for it, and try again',
    cause,
  );

/** What to do where the database has something that the tool has not made. */
export const otherHand =
  'something else has changed the database: vantfell migrate status ' +
  'shows every difference from what its migrations made';

/** Where a transaction holds all that is done to tables, no script is ever half done. */
export const keptWhole: Pick<Alteration, 'halfDone' | 'takeBack'> = {
  halfDone: () => Promise.resolve(undefined),
  takeBack: () => Promise.resolve(),
};

/**
 * A script that ended the transaction it ran in. What does so is looked for before; this is for what was not found
 * then.
 */
export const scriptEnded = (): StoreError =>
  new StoreError(
    { kind: 'ended' },
    'the script ended its own transaction: what stands before that is kept',
    'take BEGIN, COMMIT, END and ROLLBACK out of it; then see with vantfell migrate status what it has left',
  );
