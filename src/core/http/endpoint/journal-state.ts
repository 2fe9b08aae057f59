import { mayBoth } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import type { Model } from '../../model/model.ts';
import type { Scalar } from '../../model/scalar.ts';
import type { Row } from '../../sql/statement.ts';
import type { EndpointContext } from './context.ts';
import type { JournalSql, StateStatements } from './journal-sql.ts';

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

export function recordStates(model: Model, context: EndpointContext, sql: JournalSql): StateOf {
  const { store } = context;
  return async (principal, key, line) => {
    const { permissions } = principal;
    const { restricted, ...statements } = sql.statesOf(permissions);
    const found = await findState(model, context, statements, principal, key, line);
    if (found === undefined) {
      // A record that was deleted outside of the service: only callers who may read all lines may read these.
      const mayAll = mayBoth(permissions, model, 'journal') === true;
      const all = mayAll && (await store.first(sql.written, [String(key)])) !== undefined;
      return all ? { isHere: false, read: true, journal: true, members: new Map() } : undefined;
    }
    const { row, isHere } = found;
    const flag = (at: number): boolean => Number(row[at]) === 1;
    const members = restricted.map(
      (member, at) => [member, { sees: flag(2 + 2 * at), sets: flag(3 + 2 * at) }] as const,
    );
    return { isHere, read: flag(0), journal: flag(1), members: new Map(members) };
  };
}

/** What a statement finds of the record of a life: where that has ended, where it exists, where it is gone. */
export async function findState(
  model: Model,
  { store, runtime }: EndpointContext,
  { here, gone, ended }: StateStatements,
  { caller }: Principal,
  key: Scalar,
  line?: string,
): Promise<{ readonly row: Row; readonly isHere: boolean } | undefined> {
  const evaluation = { now: runtime.now(), caller };
  const lived =
    line === undefined ? undefined : await store.first(ended, [String(key), line, ...ended.values(evaluation)]);
  if (lived !== undefined) return { row: lived, isHere: false };
  const living = await store.first(here, [store.dialect.bind(model.key, key), ...here.values(evaluation)]);
  if (living !== undefined) return { row: living, isHere: true };
  const last = await store.first(gone, [String(key), ...gone.values(evaluation)]);
  return last && { row: last, isHere: false };
}
