import type { Allowance } from './allowance.ts';

/** What the instances of one service have in common beside their store. */
export interface Shared {
  /** An allowance that is counted over all instances. */
  allowance(name: string, perMinute: number): Allowance;
  /** Tells the others that callers, or their tokens, have changed. */
  callersChanged(): void;
  /** Calls `forget` whenever another one tells so. */
  onCallersChanged(forget: () => void): void;
}
