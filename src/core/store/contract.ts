import type { Dialect } from '../sql/dialect.ts';
import type { Row, Statement, StoreValue } from '../sql/statement.ts';
import type { Catalogue } from '../tables/catalogue.ts';
import type { Ddl } from '../tables/ddl.ts';
import type { Description } from '../tables/description.ts';
import type { Table } from '../tables/table.ts';

/** Whom a read is for: slow ones are handed out fairly among them, and given up once nobody waits any more. */
export interface Requester {
  /** Those with the same name share what one may have. */
  readonly by: string;
  /** Aborted once the answer has nobody to go to. */
  readonly signal?: AbortSignal | undefined;
  /**
   * How far a copy of the database must have come that answers it, as `kept` was told; empty: as it is. Undefined where
   * only the database itself will do.
   */
  readonly since?: string | undefined;
  /** Told how far the database had come once a write was kept, where it has copies. */
  kept?(position: string): void;
}

/** Something that answers statements: a connection, or a transaction under way. */
export interface Reader {
  /** The first row, or undefined where there is none. */
  first(statement: Statement, values: readonly StoreValue[], requester?: Requester): Promise<Row | undefined>;
  all(statement: Statement, values: readonly StoreValue[], requester?: Requester): Promise<readonly Row[]>;
}

/** What happens in it is kept whole, or not at all. It is dead once its work has ended. */
export interface Transaction extends Reader {
  /** Aborted when its time is up: pending waits should end. */
  readonly signal: AbortSignal;
  /** Runs a statement that changes rows, and returns how many. */
  run(statement: Statement, values: readonly StoreValue[]): Promise<number>;
  /**
   * The same, where nobody waits for the outcome: if it fails, the transaction fails, with its commit at the latest.
   * Told is the number of rows, undefined where it failed.
   */
  send(statement: Statement, values: readonly StoreValue[]): Promise<number | undefined>;
  /** A part of it that can fail by itself: what it wrote is taken back, and the rest goes on. */
  nested<Result>(work: () => Promise<Result>): Promise<Result>;
}

/** Work on the tables themselves. Other such work waits until it has ended. */
export interface Alteration extends Transaction {
  /** The names of all tables, whosever they are. */
  tables(): Promise<readonly string[]>;
  /**
   * Runs a text of one statement or more. `known` names the indexes that are the tool's own: what others have added to
   * a table that is made anew is kept. Where every statement on tables is kept by itself, one that has a name and was
   * broken off goes on where it was; it is through when the alteration is kept.
   */
  script(sql: string, known?: ReadonlySet<string>, named?: string): Promise<void>;
  /** The script with a name that was broken off, and is to go on or to be taken back. */
  halfDone(): Promise<HalfDone | undefined>;
  /** Takes back what a script that was broken off has done. Throws `StoreError` where some of it can't be. */
  takeBack(): Promise<void>;
  /** Those who are held to the tables in such a version notice that these are others now. */
  letGo(isGone: (version: number) => boolean): Promise<void>;
  /**
   * Holds the store to the tables as a version of the project knows them, which is the number of its last migration:
   * once that is let go, by whichever program, no statement is answered, and no transaction kept, but refused as
   * `moved`.
   */
  hold(version: number): Promise<void>;
  describe(): Promise<Description>;
  /** How the database would describe these tables if they were made now. Leaves nothing behind. */
  describeAnew(tables: readonly Table[]): Promise<Description>;
}

/** A script of which some statements have been kept. */
export interface HalfDone {
  readonly name: string;
  readonly script: string;
  /** How many of how many statements. */
  readonly done: number;
  readonly of: number;
  /** It is being taken back, and can only go on so. */
  readonly isBack: boolean;
}

export interface TransactionOptions {
  /** It may take as long as it likes. */
  readonly unlimited?: boolean;
  /** It is a few statements and waits for nothing else: a database with one writer may keep several such together. */
  readonly isBrief?: boolean;
  /** Whom it is for. */
  readonly requester?: Requester | undefined;
}

export interface AlterOptions {
  /** Told whom it waits for, as often as that changes. */
  readonly onWait?: ((whom: string) => void) | undefined;
}

/** Answers that a store keeps as long as the database has not changed. */
export interface Answers {
  /**
   * What `make` makes, once: it may depend on the database, on what it is made `by` and on these values, and on nothing
   * else. `lengthOf` tells how many characters it keeps.
   */
  of<Answer extends object>(
    by: object,
    values: readonly StoreValue[],
    make: () => Promise<Answer>,
    lengthOf: (answer: Answer) => number,
  ): Promise<Answer>;
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
  /**
   * Commits when the work returns, rolls back when it throws or its time is up. The work is done again, from its
   * beginning, where it lost against another transaction.
   */
  transaction<Result>(
    work: (transaction: Transaction) => Promise<Result>,
    options?: TransactionOptions,
  ): Promise<Result>;
  /** Work that only reads, and of which all together is to take no longer than one read may. */
  reading<Result>(
    work: (reader: Reader, signal: AbortSignal) => Promise<Result>,
    requester?: Requester,
  ): Promise<Result>;
  readonly ddl: Ddl;
  /** Undefined where it keeps none: it could not tell whether the database has changed. */
  readonly answers?: Answers | undefined;
  /** Whether every statement on tables is kept by itself, and no transaction holds several of them together. */
  readonly keepsEachAlteration?: boolean;
  /** Whether statements take their way to another process: what need not wait for answers should go together. */
  readonly isRemote?: boolean;
  /** Whether reads may be answered by copies of it. */
  readonly hasCopies?: boolean;
  /**
   * A transaction that may change tables. However long it takes, it isn't cut off. Where others use the tables, it
   * waits for them, though not without an end, and lets others by meanwhile: its work may be done again from its
   * beginning.
   */
  alter<Result>(work: (alteration: Alteration) => Promise<Result>, options?: AlterOptions): Promise<Result>;
  /** All tables and views; `thorough` looks at every value where only that tells what a column holds. */
  catalogue(thorough: boolean): Promise<Catalogue>;
  close(): Promise<void>;
}

export type StoreFault =
  | { readonly kind: 'unique'; readonly table: string; readonly columns: readonly string[] }
  | { readonly kind: 'foreign-key' }
  /** A value is longer than the database can keep in an index; the columns, where it says so. */
  | { readonly kind: 'too-long'; readonly columns: readonly string[] }
  | { readonly kind: 'busy' }
  /** So many wait already that one more would wait for too long. */
  | { readonly kind: 'crowded' }
  /** Time ran out. */
  | { readonly kind: 'too-slow' }
  /** More than the database can read as one statement. */
  | { readonly kind: 'too-complex' }
  /** More than the database takes or gives at once. */
  | { readonly kind: 'too-large' }
  | { readonly kind: 'unreachable' }
  /** A migration has changed the tables that it was held to. */
  | { readonly kind: 'moved' }
  /** The connection was lost while a transaction was being kept: nobody can tell whether it was. */
  | { readonly kind: 'uncertain' }
  /** A statement on tables that rows or other things in the database stand in the way of. */
  | { readonly kind: 'refused'; readonly halfDone?: HalfDone | undefined; readonly ofValue?: string | undefined }
  /** A script ended the transaction that it ran in: part of it may be kept. */
  | { readonly kind: 'ended' }
  | { readonly kind: 'defect'; readonly ofValue?: string | undefined };

// `ofValue` names the rule, the column or the type that a value does not suit; it may be empty.

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
