import { makePermissionSets } from '../access/permissions.ts';
import type { PermissionSets } from '../access/permissions.ts';
import type { Principal } from '../access/principal.ts';
import { makeCredentials } from '../identity/credentials.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Scalar } from '../model/scalar.ts';
import type { Reader, Store, Transaction, TransactionOptions } from '../store/contract.ts';
import { TooHasty } from './ahead.ts';
import { makeChanges } from './changes.ts';
import type { Code } from './code.ts';
import { commitEvents } from './commit-events.ts';
import type { Changes, Writing } from './contract.ts';
import { makeJournal } from './journal.ts';
import { makeScopes } from './make-scopes.ts';
import type { Runtime } from './runtime.ts';
import { refuseWrites } from './scope.ts';
import type { Scope, ServiceLog } from './scope.ts';
import { beginUnitOfWork, nested } from './unit-of-work.ts';
import type { CommitEvent, UnitOfWork } from './unit-of-work.ts';

/** Everything that changes records goes through this: requests, operations, hooks, scripts, samples. */
export interface Writes {
  /** What each kind of viewer may do and see. */
  readonly permissionSets: PermissionSets;
  changesOf(model: Model): Changes;
  /**
   * Does some work in one transaction, with its journal; runs `afterCommit` hooks after the commit. `null` is the
   * service itself.
   */
  run<Result>(
    principal: Principal | null,
    work: (work: UnitOfWork) => Promise<Result>,
    options?: TransactionOptions,
  ): Promise<Result>;
  /** The same inside a transaction of the caller's, who ends it with `flush`. Its writes carry the time of each. */
  begin(transaction: Transaction): UnitOfWork;
  /** Writes the journal so far, and drops its events. */
  flush(work: UnitOfWork): Promise<void>;
  /** How many `afterCommit` hooks of each model were left out. */
  untold(): ReadonlyMap<string, number>;
  /** The same for code: what it reads and writes is in the transaction. */
  scopeOf(work: UnitOfWork): Scope;
  /** For code that only reads, outside of any transaction. */
  readingScope(principal: Principal, reader: Reader, signal: AbortSignal): Scope;
  /** Resolves when all `afterCommit` hooks have run. */
  settled(): Promise<void>;
}

/** What they need from around them. */
export interface WritesOptions {
  readonly graph: Graph;
  readonly store: Store;
  readonly runtime: Runtime;
  readonly code: Code;
  readonly log: ServiceLog;
  /** Called with errors after a commit, when no request waits any more. */
  report(error: unknown): void;
  /** Called once records of callers, or their secrets, have changed for good. */
  callersChanged?(): void;
  /** Called with the keys of callers whose address is new, once it is kept. */
  addressesChanged?(callers: readonly Scalar[]): void;
  /** Whether `afterCommit` hooks are run; they are where it is left out. */
  readonly tell?: boolean;
}

export function makeWrites(options: WritesOptions): Writes {
  const { graph, store, runtime, code, log } = options;
  const { dialect } = store;
  // Made when they are first asked for: a service of many models starts sooner.
  const all = new Map<Model, Changes>();
  const changesOf = (model: Model): Changes => {
    let changes = all.get(model);
    if (changes === undefined) all.set(model, (changes = makeChanges(model, writing)));
    return changes;
  };
  const groundScope = makeScopes(graph, dialect, changesOf, log);
  const scopeOf = workScopes(groundScope);
  const journal = makeJournal(graph, dialect, runtime.uuid);
  const permissionSets = makePermissionSets(graph);
  const itself: Principal = { caller: null, permissions: permissionSets.service };
  const committed = commitEvents(options, ({ caller, request }, calls) =>
    groundScope({
      caller,
      request,
      now: runtime.now,
      reader: store,
      signal: new AbortController().signal,
      write: (part) => run({ caller, permissions: permissionSets.service, ...(request && { request }) }, part),
      calls,
    }),
  );

  const runOnce = async <Result>(
    principal: Principal | null,
    work: (work: UnitOfWork) => Promise<Result>,
    settings: TransactionOptions | undefined,
    isHasty: boolean,
  ): Promise<Result> => {
    const { requester } = principal ?? itself;
    let events: readonly CommitEvent[] = [];
    let callersChanged = false;
    let newAddresses: readonly Scalar[] = [];
    const result = await store.transaction(
      async (transaction) => {
        // Begun anew with each try: what a lost one wanted to tell is forgotten with it.
        const time = runtime.now();
        const under = beginUnitOfWork(transaction, principal ?? itself, () => time, isHasty);
        const done = await work(under);
        if (under.entries.length > 0) await journal.write(under);
        events = under.events;
        callersChanged = under.callersChanged.value;
        newAddresses = under.newAddresses;
        return done;
      },
      requester === undefined ? settings : { ...settings, requester },
    );
    if (callersChanged) options.callersChanged?.();
    if (newAddresses.length > 0) options.addressesChanged?.(newAddresses);
    committed.tell(principal ?? itself, events);
    return result;
  };
  const run: Writes['run'] = (principal, work, settings) =>
    runOnce(principal, work, settings, store.isRemote === true).catch((error: unknown) => {
      if (error instanceof TooHasty) return runOnce(principal, work, settings, false);
      throw error;
    });

  const credentials = makeCredentials(dialect, graph.identity?.codes !== undefined);
  const writing: Writing = { graph, dialect, runtime, code, permissionSets, credentials, journal, changesOf, scopeOf };
  return {
    permissionSets,
    changesOf,
    run,
    begin: (transaction) => beginUnitOfWork(transaction, itself, () => runtime.now()),
    async flush(work) {
      await journal.write(work);
      committed.leaveOut(work.events.splice(0));
    },
    untold: committed.untold,
    scopeOf,
    readingScope: ({ caller, request }, reader, signal) =>
      groundScope({ caller, request, now: runtime.now, reader, signal, write: refuseWrites, calls: { pending: 0 } }),
    settled: committed.settled,
  };
}

/** The scope of each unit of work, made when it is first needed. */
function workScopes(groundScope: ReturnType<typeof makeScopes>): (work: UnitOfWork) => Scope {
  const scopes = new WeakMap<UnitOfWork, Scope>();
  return (work) => {
    let scope = scopes.get(work);
    if (scope === undefined) {
      scope = groundScope({
        caller: work.caller,
        request: work.request,
        now: () => work.now(),
        reader: work.transaction,
        get signal() {
          return work.transaction.signal;
        },
        write: (part) => nested(work, part),
        locks: work,
        calls: work.calls,
      });
      scopes.set(work, scope);
    }
    return scope;
  };
}
