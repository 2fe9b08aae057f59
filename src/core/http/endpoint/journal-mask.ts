import { memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import { journaledMembers } from '../../change/journal.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { thereStatement } from '../../query/statements.ts';
import type { ProjectionStatement } from '../../query/statements.ts';
import type { EndpointContext } from './context.ts';
import { keyInLine, keyMembers, recordIn } from './journal-line.ts';
import type { Changes, LineChange } from './journal-line.ts';
import type { JournalSql } from './journal-sql.ts';
import type { RecordState, StateOf } from './journal-state.ts';

/** A model with keys in lines, whose records not everybody may read. */
interface Guarded {
  readonly other: Model;
  readonly statement: ProjectionStatement;
}

/** Takes out of lines what their reader may not see: values of members, and keys of hidden records. */
export function lineMask(
  model: Model,
  context: EndpointContext,
  { statesOf }: Pick<JournalSql, 'statesOf'>,
  stateOf: StateOf,
): LineChange {
  const known = new Set(journaledMembers(model));
  const guardedOf = memoizeByPermissions((permissions: Permissions) => guardedMembers(model, permissions, context));

  return (principal) => {
    const guarded = guardedOf(principal.permissions);
    const { restricted } = statesOf(principal.permissions);
    const states = new Map<string, RecordState | undefined>();
    const reach = reachOf(principal, context);

    return async (line) => {
      if (line.changes === undefined) return;
      // A reader may have left out the record or the line's id: then values that depend on it are not shown.
      const of = restricted.length === 0 ? undefined : recordIn(model, line);
      if (of?.key !== undefined && !states.has(of.name)) states.set(of.name, await stateOf(principal, of.key, of.line));
      line.changes = maskChanges(line.changes, known, restricted, of && states.get(of.name));
      for (const [member, target] of guarded) {
        const change = line.changes[member];
        for (const side of ['before', 'after'] as const) {
          if (change?.[side] !== undefined) change[side] = await reach(target, change[side]);
        }
      }
    };
  };
}

/** Members that hold keys of records which not everybody may read. */
function guardedMembers(
  model: Model,
  permissions: Permissions,
  { graph, store: { dialect } }: EndpointContext,
): ReadonlyMap<string, Guarded> {
  return new Map(
    keyMembers(model).flatMap(({ member, target }) => {
      const other = modelOf(graph, target);
      const guard = permissions.may(other, 'read');
      return guard === true
        ? []
        : [[member, { other, statement: thereStatement(graph, other, dialect, guard) }] as const];
    }),
  );
}

/** Returns a key, or keys, without those of hidden records. */
function reachOf(
  { caller }: Principal,
  { store, runtime }: EndpointContext,
): (target: Guarded, value: FieldValue) => Promise<FieldValue> {
  const reachable = new Map<string, boolean>();

  async function isKnown({ other, statement }: Guarded, value: FieldValue): Promise<boolean> {
    const key = keyInLine(other.key, value);
    if (key === undefined) return false;
    const id = `${other.name} ${JSON.stringify(key)}`;
    if (!reachable.has(id)) {
      const bound = [store.dialect.bind(other.key, key), ...statement.values({ now: runtime.now(), caller })];
      reachable.set(id, (await store.first(statement, bound)) !== undefined);
    }
    return reachable.get(id)!;
  }

  return async (target, value) => {
    if (value === null) return null;
    if (!Array.isArray(value)) return (await isKnown(target, value)) ? value : null;
    const kept: FieldValue[] = [];
    for (const one of value as FieldValue[]) if (await isKnown(target, one)) kept.push(one);
    return kept;
  };
}

/** The changes of visible members, and the names of members that the reader may only set. */
function maskChanges(
  changes: Changes,
  known: ReadonlySet<string>,
  restricted: readonly string[],
  state: RecordState | undefined,
): Changes {
  const shown: Changes = {};
  for (const [member, change] of Object.entries(changes)) {
    // Nobody knows who may see a member that the model no longer has.
    if (!known.has(member)) continue;
    const of = state?.members.get(member);
    if (of?.sees === true || !restricted.includes(member)) shown[member] = { ...change };
    else if (of?.sets === true) shown[member] = {};
  }
  return shown;
}
