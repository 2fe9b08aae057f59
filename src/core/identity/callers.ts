import { LRUCache } from 'lru-cache';
import type { Caller } from '../expression/context.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Scalar } from '../model/scalar.ts';
import type { Statement } from '../sql/statement.ts';
import type { Store } from '../store/contract.ts';
import { credentialsTable } from '../tables/own-tables.ts';

/** What the service knows of a caller. */
export interface Known {
  readonly caller: Caller;
  readonly mark: string | null;
  /** Tokens of an outside issuer that are older are void. */
  readonly since: Date | null;
}

/** A short-lived cache of callers' records. */
export interface Callers {
  /** The caller with this value of a unique field; undefined if there is none. */
  find(field: Field, value: Scalar): Promise<Known | undefined>;
  /** The same, as it is stored now: another process may have changed it since it was read. */
  findAnew(field: Field, value: Scalar): Promise<Known | undefined>;
  /** A caller has changed: forgets all, so that they are read again. */
  forget(): void;
}

/** Other processes may change what this one has read. */
const FRESH_MS = 5_000;
const MOST_KEPT = 10_000;

export function makeCallers(graph: Graph, store: Store, now: () => Date): Callers {
  const identity = graph.identity!;
  const statements = new Map<Field, Statement>();
  const kept = new LRUCache<string, { readonly known: Known; readonly readAt: number }>({ max: MOST_KEPT });
  let changes = 0;

  const nameOf = (field: Field, value: Scalar): string => `${field.member} ${String(value)}`;

  const findAnew: Callers['findAnew'] = async (field, value) => {
    const name = nameOf(field, value);
    const time = now().getTime();
    const seen = changes;
    let statement = statements.get(field);
    if (statement === undefined) statements.set(field, (statement = knownStatement(graph, field, store)));
    const row = await store.first(statement, [store.dialect.bind(field, value)]);
    if (row === undefined) {
      kept.delete(name);
      return undefined;
    }
    const record = JSON.parse(String(row[0])) as { key: Scalar; roles?: string[] | string | null };
    const { roles = null } = record;
    const known: Known = {
      caller: { key: record.key, roles: roles === null ? [] : Array.isArray(roles) ? roles : [roles] },
      mark: row[1] as string | null,
      since: row[2] === null ? null : new Date(String(row[2])),
    };
    // Reads that began before a change are not cached.
    if (seen === changes && identity !== undefined) kept.set(name, { known, readAt: time });
    return known;
  };

  return {
    find(field, value) {
      const before = kept.get(nameOf(field, value));
      const time = now().getTime();
      if (before === undefined || time - before.readAt >= FRESH_MS || time < before.readAt)
        return findAnew(field, value);
      return Promise.resolve(before.known);
    },
    findAnew,
    forget() {
      changes += 1;
      kept.clear();
    },
  };
}

function knownStatement(graph: Graph, field: Field, { dialect }: Store): Statement {
  const { name, placeholder } = dialect;
  const model = modelOf(graph, graph.identity!.model);
  const roles = graph.identity!.roles && model.byMember.get(graph.identity!.roles.member);
  const members = [
    { name: 'key', value: dialect.value(model.key, name(model.key.column)) },
    ...(roles === undefined ? [] : [{ name: 'roles', value: dialect.value(roles, name(roles.column)) }]),
  ];
  const [caller, mark, since] = credentialsTable.columns.map((column) => name(column.name));
  const credential = (column: string | undefined): string =>
    `(SELECT ${column} FROM ${name(credentialsTable.name)} ` +
    `WHERE ${caller} = CAST(${name(model.table)}.${name(model.key.column)} AS ` +
    'TEXT))';
  return {
    sql:
      `SELECT ${dialect.text(dialect.object(members))}, ${credential(mark)}, ${credential(since)} ` +
      `FROM ${name(model.table)} WHERE ${name(field.column)} = ${placeholder(1)}`,
  };
}
