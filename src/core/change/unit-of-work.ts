import type { Permissions } from '../access/permissions.ts';
import type { Principal } from '../access/principal.ts';
import type { Traced } from '../api/message.ts';
import type { Caller, EvaluationContext } from '../expression/context.ts';
import type { Scalar } from '../model/scalar.ts';
import type { Values } from '../rules/schema.ts';
import type { Transaction } from '../store/contract.ts';

/** What one running transaction does. A transaction that runs again begins with a new one. */
export interface UnitOfWork {
  readonly transaction: Transaction;
  /** Null where nobody is signed in, in scripts, and where samples are loaded. */
  readonly caller: Caller | null;
  /** The mark of the caller's token. */
  readonly mark: string | undefined;
  /** What a refusal may say of other records. */
  readonly permissions: Permissions;
  /** The request that it is done for. */
  readonly request: Traced | undefined;
  /** The time of its writes. */
  now(): Date;
  /** Its lines of the journal. */
  readonly entries: Entry[];
  /** What happened, for `afterCommit` hooks. */
  readonly events: CommitEvent[];
  /** The keys of callers whose address is new, where codes prove addresses. */
  readonly newAddresses: Scalar[];
  /** Whether it changed records of callers. */
  readonly callersChanged: { value: boolean };
  /** Whether steps may go ahead of each other's answers: work that was too hasty is done again without. */
  readonly isHasty: boolean;
  /** The operation that the work is done for. */
  operation?: string;
  /** How many hooks are running, one inside the other. */
  depth: number;
  /** Pending calls of code on its scope. */
  readonly calls: Calls;
  /** The last of its nested parts, which queue. */
  lastNested: Promise<unknown>;
}

/** What expressions can use of it besides the record. */
export const evaluationOf = (work: UnitOfWork): EvaluationContext => ({ now: work.now(), caller: work.caller });

/** How many calls on a scope are pending: code that does not await them would lose them. */
export interface Calls {
  pending: number;
}

export type Action = 'create' | 'update' | 'delete';

/** A line of the journal. */
export interface Entry {
  readonly model: string;
  readonly key: Scalar;
  readonly at: Date;
  readonly action: Action;
  /**
   * The old and the new value of each member: without `before` for a new record, without `after` for a deleted one.
   */
  readonly changes: Readonly<Record<string, { readonly before?: unknown; readonly after?: unknown }>>;
}

/** Something that is committed. */
export interface CommitEvent {
  readonly kind: Action;
  readonly model: string;
  readonly key: Scalar;
  /** The record after the transaction; a deleted one as it was. */
  readonly record: Values;
  /** The record before a change. */
  readonly before?: Values | undefined;
}

export const beginUnitOfWork = (
  transaction: Transaction,
  { caller, mark, permissions, request }: Principal,
  now: () => Date,
  isHasty = false,
): UnitOfWork => ({
  transaction,
  caller,
  mark,
  permissions,
  request,
  now,
  isHasty,
  entries: [],
  events: [],
  newAddresses: [],
  callersChanged: { value: false },
  depth: 0,
  calls: { pending: 0 },
  lastNested: Promise.resolve(),
});

/**
 * A part of the work that can fail alone, and then leaves nothing behind. Parts that start together run one after the
 * other, because a database undoes the latest; work inside of one uses `inner`, whose parts queue in the same way.
 */
export function nested<Result>(work: UnitOfWork, part: (inner: UnitOfWork) => Promise<Result>): Promise<Result> {
  const turn = work.lastNested.then(async () => {
    const [entries, events, addresses] = [work.entries.length, work.events.length, work.newAddresses.length];
    try {
      const inner = { ...work, isHasty: false, calls: { pending: 0 }, lastNested: Promise.resolve() };
      return await work.transaction.nested(() => part(inner));
    } catch (error) {
      work.entries.length = entries;
      work.events.length = events;
      work.newAddresses.length = addresses;
      throw error;
    }
  });
  work.lastNested = turn.catch(() => undefined);
  return turn;
}
