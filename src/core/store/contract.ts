import type { Dialect } from './dialect.ts';
import type { Table } from '../tables/table.ts';

/** A value as a database driver takes it. */
export type StoreValue = string | number | bigint | boolean | null;

export type Row = readonly StoreValue[];

/**
 * A statement with placeholders. It is made once and kept: a store prepares it when it first meets it, and finds it
 * again by its identity.
 */
export interface Statement {
  readonly sql: string;
}

/** Something that answers statements: a connection, or a transaction under way. */
export interface Reader {
  /** The first row, or undefined where there is none. */
  first(statement: Statement, values: readonly StoreValue[]): Promise<Row | undefined>;
  all(statement: Statement, values: readonly StoreValue[]): Promise<readonly Row[]>;
}

/** What happens in it is kept whole, or not at all. It is dead once its work has ended. */
export interface Transaction extends Reader {
  /** Runs a statement that changes rows, and tells how many. */
  run(statement: Statement, values: readonly StoreValue[]): Promise<number>;
  /** A part of it that can fail by itself: what it wrote is taken back, and the rest goes on. */
  nested<Result>(work: () => Promise<Result>): Promise<Result>;
}

/**
 * A database, as the core needs it. An implementation for one kind of database is a folder of `src/store`; it throws
 * `StoreError` and nothing else.
 */
export interface Store extends Reader {
  /** `sqlite`, `postgres` … */
  readonly kind: string;
  /** Where it is, for people, without a password. */
  readonly address: string;
  readonly dialect: Dialect;
  /** Commits when the work returns, rolls back when it throws. */
  transaction<Result>(work: (transaction: Transaction) => Promise<Result>): Promise<Result>;
  /** Makes the tables that the models need; throws `StoreError` `other-tables` where that would lose data. */
  follow(tables: readonly Table[]): Promise<readonly string[]>;
  close(): Promise<void>;
}

export type StoreFault =
  | { readonly kind: 'unique'; readonly table: string; readonly columns: readonly string[] }
  | { readonly kind: 'foreign-key' }
  | { readonly kind: 'busy' }
  | { readonly kind: 'unreachable' }
  | { readonly kind: 'other-tables' }
  | { readonly kind: 'defect' };

/** What a database refused, or could not do, without a word of the driver's own to a client. */
export class StoreError extends Error {
  readonly fault: StoreFault;
  /** What to do about it, for the person at the terminal. */
  readonly remedy: string;

  constructor(fault: StoreFault, message: string, remedy = '', cause?: unknown) {
    super(message, { cause });
    this.name = 'StoreError';
    this.fault = fault;
    this.remedy = remedy;
  }
}

/** The tables that stand are not those of the models, and could not be brought to them without a loss. */
export const otherTables = (address: string, obstacles: readonly string[]): StoreError =>
  new StoreError(
    { kind: 'other-tables' },
    `the database ${address} was made from other models:\n${obstacles.map((obstacle) => `  ${obstacle}`).join('\n')}`,
    'take the change back; or move the database away, and fill a new one from the samples with vantfell seed',
  );
