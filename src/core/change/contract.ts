import type { Act } from '../access/condition.ts';
import type { Permissions, PermissionSets } from '../access/permissions.ts';
import type { Failure } from '../api/failure.ts';
import type { Credentials } from '../identity/credentials.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Scalar } from '../model/scalar.ts';
import type { ReadBody, Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Code } from './code.ts';
import type { Journal } from './journal.ts';
import type { Runtime } from './runtime.ts';
import type { Scope } from './scope.ts';
import type { SecretRules } from './secret-rules.ts';
import type { UnitOfWork } from './unit-of-work.ts';

export interface Written {
  readonly key: Scalar;
  /**
   * What answers show of the record, and all that is stored of it if that is more; undefined if they have to be read.
   */
  readonly texts?: Texts;
}

export interface Texts {
  readonly shown: string;
  readonly stored: string | undefined;
}

/** What records that are made at once have of what may be there once: texts of unique values. */
export type Batch = Set<string>;

/** Who changes a record, and a check of its state. */
export interface Client {
  readonly permissions: Permissions;
  readonly guard?: Guard | undefined;
}

/** Called with all that is stored of a locked record. Throws to abort the write. */
export type Guard = (stored: string) => void;

/** Makes the body of a change from the record as its client reads it. */
export type BodyOf = (seen: Values) => ReadBody | Promise<ReadBody>;

/** The writes of one model. Each is a part of a unit of work, and throws `HttpProblem` if it is refused. */
export interface Changes {
  /**
   * The values with hashed secrets. It is slow, so it is done before a transaction begins; `hash` may wait for a
   * turn.
   */
  hashSecrets(values: Values, hash?: (secret: string) => Promise<string>): Promise<Values>;
  /** What is wrong with a secret among values that a client or code gives, beyond the rules of its field. */
  readonly secretFailures: SecretRules;
  /** Whether to make or change a record takes a few statements: no code of the project, no secret to hash. */
  readonly isBrief: boolean;
  /** How many secrets among the values have to be hashed. */
  countSecrets(values: Values): number;
  /**
   * With `permissions` a client writes, and every grant is checked; without, the service itself does. The same holds
   * for the methods below.
   */
  create(work: UnitOfWork, values: Values, permissions?: Permissions): Promise<Written>;
  /** `replace` gives members that the body leaves out their defaults; `update` leaves them as they are. */
  change(
    work: UnitOfWork,
    how: 'replace' | 'update',
    key: Scalar,
    body: ReadBody | BodyOf,
    client?: Client,
  ): Promise<Written>;
  /**
   * All that is wrong with a new record of a client of which some failures are known. It may be the `at`th of many
   * that are made at once, and that can have each other's keys.
   */
  failuresOfNew(
    work: UnitOfWork,
    values: Values,
    known: readonly Failure[],
    permissions: Permissions,
    batch?: Batch,
  ): Promise<readonly Failure[]>;
  /** The same of a change. */
  failuresOfChange(
    work: UnitOfWork,
    how: 'replace' | 'update',
    key: Scalar,
    body: BodyOf,
    known: readonly Failure[],
    client: Client,
  ): Promise<readonly Failure[]>;
  /** Deletes a record, with its cascade. */
  delete(work: UnitOfWork, key: Scalar, client?: Client): Promise<void>;
  /** Locks a record until the transaction ends, and returns it; 404 if there is none. */
  lock(work: UnitOfWork, key: Scalar): Promise<Values>;
  /** The same for a client, with its permissions. */
  lockForWrite(work: UnitOfWork, key: Scalar, act: Act, client: Client): Promise<LockedRecord>;
  /**
   * What answers show of a record, and all that is stored of it if that is more; undefined if it may not be read.
   */
  shown(work: UnitOfWork, key: Scalar, permissions?: Permissions): Promise<Texts | undefined>;
  /** Deletes a single record, after its cascade. For `cascade.ts`. */
  remove(work: UnitOfWork, key: Scalar, record: Values): Promise<void>;
}

/** What the writes of all models have in common. */
export interface Writing {
  readonly graph: Graph;
  readonly dialect: Dialect;
  readonly runtime: Runtime;
  readonly code: Code;
  readonly permissionSets: PermissionSets;
  readonly credentials: Credentials;
  readonly journal: Journal;
  changesOf(model: Model): Changes;
  scopeOf(work: UnitOfWork): Scope;
}

/** A record that a client is about to change. */
export interface LockedRecord {
  readonly record: Values;
  /** As the client reads it: without hidden members, and with null for relations to hidden records. */
  readonly seen: Values;
  /** Whether the client may set a member. */
  sets(member: string): boolean;
}
