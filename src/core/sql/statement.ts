/** A value as a database driver takes it. */
export type StoreValue = string | number | bigint | boolean | null;

export type Row = readonly StoreValue[];

/**
 * A statement with placeholders. It is made once and kept: a store prepares it when it first meets it, and finds it
 * again by its identity.
 */
export interface Statement {
  readonly sql: string;
  /** Returns what the statement has changed, if it has: asked for behind it, with the same values. */
  readonly back?: string;
  /** It may have to go through many rows, and must not hold up quick ones. */
  readonly slow?: boolean;
  /** Its answer is quick and short: it may share a connection with others. */
  readonly light?: boolean;
}
