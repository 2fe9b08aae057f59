/** What a write needs from the world around it. */
export interface Runtime {
  now(): Date;
  /** A UUID of version 7. */
  uuid(): string;
  /** Bytes that nobody can guess. */
  random(bytes: number): Uint8Array;
  /**
   * Lets others go on where there was long work; undefined where nobody had to wait. To be called between its parts.
   */
  rest?(): Promise<void> | undefined;
}
