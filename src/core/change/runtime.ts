/** What a write needs from outside: time, keys, random bytes. */
export interface Runtime {
  now(): Date;
  /** A UUID of version 7. */
  uuid(): string;
  /** Bytes that nobody can guess. */
  random(bytes: number): Uint8Array;
  /** The cost of hashes of secrets, as a power of two; left out: slow ones. */
  readonly hashCost?: number;
  /** Yields during long work; undefined if nobody was waiting. Call it between parts of the work. */
  rest?(): Promise<void> | undefined;
}
