import type { Principal } from '../access/principal.ts';
import { blamed } from './code.ts';
import type { Code } from './code.ts';
import { refusePending } from './make-scopes.ts';
import type { Scope } from './scope.ts';
import type { Calls, CommitEvent } from './unit-of-work.ts';

/** The `afterCommit` hooks. They run outside of the transaction: what fails is in the log, and undoes nothing. */
export interface CommitEvents {
  /** Runs the hooks of what happened; nobody waits for them. */
  tell(principal: Principal, events: readonly CommitEvent[]): void;
  /** Only counts the hooks that would have run. */
  leaveOut(events: readonly CommitEvent[]): void;
  /** How many hooks of each model were left out. */
  untold(): ReadonlyMap<string, number>;
  /** Resolves when all hooks have run. */
  settled(): Promise<void>;
}

interface CommitEventsOptions {
  readonly code: Code;
  /** Whether hooks are run; they are where it is left out. */
  readonly tell?: boolean;
  /** Called with what went wrong in a hook. */
  report(error: unknown): void;
}

export function commitEvents(
  { code, tell = true, report }: CommitEventsOptions,
  scopeFor: (principal: Principal, calls: Calls) => Scope,
): CommitEvents {
  const telling = new Set<Promise<void>>();
  const untold = new Map<string, number>();

  async function tellAll(principal: Principal, events: readonly CommitEvent[]): Promise<void> {
    const calls = { pending: 0 };
    const scope = scopeFor(principal, calls);
    for (const event of events) {
      const hook = code.hooks.get(event.model)?.afterCommit as
        ((event: CommitEvent, scope: Scope) => unknown) | undefined;
      try {
        await hook?.(event, scope);
        refusePending(calls, 0, `afterCommit of ${event.model}`);
      } catch (error) {
        report(blamed(error, `afterCommit of ${event.model}`));
      }
    }
  }

  function leaveOut(events: readonly CommitEvent[]): void {
    for (const { model } of events) untold.set(model, (untold.get(model) ?? 0) + 1);
  }

  return {
    tell(principal, events) {
      if (!tell) return leaveOut(events);
      if (events.length === 0) return;
      const told = tellAll(principal, events).finally(() => telling.delete(told));
      telling.add(told);
    },
    leaveOut,
    untold: () => untold,
    async settled() {
      while (telling.size > 0) await Promise.all(telling);
    },
  };
}
