import { mayBoth } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import type { Model } from '../../model/model.ts';
import type { Scalar } from '../../model/scalar.ts';
import type { EndpointContext } from './context.ts';
import type { JournalSql } from './journal-sql.ts';

/** What a viewer may know of an existing or deleted record. */
export interface RecordState {
  /** Whether the record exists. */
  readonly isHere: boolean;
  readonly read: boolean;
  readonly journal: boolean;
  /** Of members that not everybody sees: whether their values are seen, and whether they may be set. */
  readonly members: ReadonlyMap<string, { readonly sees: boolean; readonly sets: boolean }>;
}

/**
 * Undefined where there never was such a record. A key may have had several records, each with its own life and
 * lines: `line` is a line of the life that is meant; left out, the last.
 */
export type StateOf = (principal: Principal, key: Scalar, line?: string) => Promise<RecordState | undefined>;

export function recordStates(model: Model, { store, runtime }: EndpointContext, sql: JournalSql): StateOf {
  return async (principal, key, line) => {
    const { caller, permissions } = principal;
    const { restricted, here, gone, ended } = sql.statesOf(permissions);
    const evaluation = { now: runtime.now(), caller };
    const lived =
      line === undefined ? undefined : await store.first(ended, [String(key), line, ...ended.values(evaluation)]);
    const living = lived ?? (await store.first(here, [store.dialect.bind(model.key, key), ...here.values(evaluation)]));
    const row = living ?? (await store.first(gone, [String(key), ...gone.values(evaluation)]));
    if (row === undefined) {
      // A record that was deleted outside of the service: only callers who may read all lines may read these.
      const mayAll = mayBoth(permissions, model, 'journal') === true;
      const all = mayAll && (await store.first(sql.written, [String(key)])) !== undefined;
      return all ? { isHere: false, read: true, journal: true, members: new Map() } : undefined;
    }
    const flag = (at: number): boolean => Number(row[at]) === 1;
    const members = restricted.map(
      (member, at) => [member, { sees: flag(2 + 2 * at), sets: flag(3 + 2 * at) }] as const,
    );
    const isHere = lived === undefined && living !== undefined;
    return { isHere, read: flag(0), journal: flag(1), members: new Map(members) };
  };
}
