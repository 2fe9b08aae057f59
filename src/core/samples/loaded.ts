import type { SampleStream } from './stream.ts';

export interface Loaded {
  /** A line for each model that has samples, in the order of loading. */
  readonly models: readonly LoadedModel[];
  /**
   * Samples that were loaded once and are missing from the files now: `hut/old-hut`, a thousand at most. Their
   * records are left alone.
   */
  readonly gone: readonly string[];
  readonly goneCount: number;
  /** How many `afterCommit` hooks of each model were left out. */
  readonly untold: ReadonlyMap<string, number>;
}

export interface LoadedModel {
  readonly model: string;
  readonly made: number;
  readonly changed: number;
  readonly unchanged: number;
}

export interface LoadOptions {
  /** Files too long to be held in memory; their rows come in the file's order. */
  readonly streams?: readonly SampleStream[];
  /** The cost of digests of secrets, as a power of two; left out: slow ones. */
  readonly hashCost?: number | undefined;
  /** Every record goes first, in the same transaction. */
  readonly emptyFirst?: boolean;
  /** Told now and then how many rows of a model were loaded, and the share of its file that was read. */
  readonly onProgress?: (model: string, rows: number, share?: number) => void;
}

/** Rows that are written together: a bad one among them is found by writing them again, one by one. */
export const ROWS_AT_ONCE = 200;
