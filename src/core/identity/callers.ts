import type { Caller } from '../expression/context.ts';
import { VERIFIED } from '../model/access.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Scalar } from '../model/scalar.ts';
import type { Statement } from '../sql/statement.ts';
import type { Store } from '../store/contract.ts';
import { credentialsTable, verifiedTable } from '../tables/own-tables.ts';
import { addressDigest } from './codes.ts';
import { makeFresh } from './fresh.ts';

/** What the service knows of a caller. */
export interface Known {
  readonly caller: Caller;
  readonly mark: string | null;
  /** Tokens of an outside issuer that are older are void. */
  readonly since: Date | null;
}

/** A short-lived cache of callers' records. */
export interface Callers {
  /** The same as `find`, where it was read a few seconds ago at most; undefined where it has to be read. */
  recent(field: Field, value: Scalar): Known | undefined;
  /** The caller with this value of a unique field; undefined if there is none. */
  find(field: Field, value: Scalar): Promise<Known | undefined>;
  /** The same, as it is stored now: another process may have changed it since it was read. */
  findAnew(field: Field, value: Scalar): Promise<Known | undefined>;
  /** A caller has changed: forgets all, so that they are read again. */
  forget(): void;
}

export function makeCallers(graph: Graph, store: Store, now: () => Date): Callers {
  const statements = new Map<Field, Statement>();
  const fresh = makeFresh<Known>(now);

  const nameOf = (field: Field, value: Scalar): string => `${field.member} ${String(value)}`;

  async function read(field: Field, value: Scalar): Promise<Known | undefined> {
    let statement = statements.get(field);
    if (statement === undefined) statements.set(field, (statement = knownStatement(graph, field, store)));
    const row = await store.first(statement, [store.dialect.bind(field, value)]);
    if (row === undefined) return undefined;
    const record = JSON.parse(String(row[0])) as CallerRow;
    return {
      caller: { key: record.key, roles: heldRoles(record.roles ?? null, isVerified(record.address, row[3])) },
      mark: row[1] as string | null,
      since: row[2] === null ? null : new Date(String(row[2])),
    };
  }

  const findAnew: Callers['findAnew'] = (field, value) =>
    fresh.readAnew(nameOf(field, value), () => read(field, value));

  const recent: Callers['recent'] = (field, value) => fresh.recent(nameOf(field, value));

  return {
    recent,
    find(field, value) {
      const known = recent(field, value);
      return known === undefined ? findAnew(field, value) : Promise.resolve(known);
    },
    findAnew,
    forget: () => fresh.forget(),
  };
}

interface CallerRow {
  readonly key: Scalar;
  readonly roles?: string[] | string | null;
  readonly address?: string | null;
}

/** Whether the address that was proved is still the caller's. */
const isVerified = (address: string | null | undefined, proved: unknown): boolean =>
  address != null && proved != null && addressDigest(address) === proved;

/** A caller's roles, as their record gives them; and what no record gives. */
export function heldRoles(roles: readonly string[] | string | null, verified: boolean): string[] {
  const own = (roles === null ? [] : [roles].flat()).filter((role) => role !== VERIFIED);
  return verified ? [...own, VERIFIED] : own;
}

function knownStatement(graph: Graph, field: Field, { dialect }: Store): Statement {
  const { name, placeholder } = dialect;
  const model = modelOf(graph, graph.identity!.model);
  const roles = graph.identity!.roles && model.byMember.get(graph.identity!.roles.member);
  const codes = graph.identity!.codes;
  const address = codes?.verify === undefined ? undefined : codes.to;
  const members = [
    { name: 'key', value: dialect.value(model.key, name(model.key.column)) },
    ...(roles === undefined ? [] : [{ name: 'roles', value: dialect.value(roles, name(roles.column)) }]),
    ...(address === undefined ? [] : [{ name: 'address', value: dialect.value(address, name(address.column)) }]),
  ];
  const [caller, mark, since] = credentialsTable.columns.map((column) => name(column.name));
  const of = (table: string, column: string | undefined): string =>
    `(SELECT ${column} FROM ${name(table)} ` +
    `WHERE ${caller} = ${dialect.keyText(`${name(model.table)}.${name(model.key.column)}`)})`;
  const credential = (column: string | undefined): string => of(credentialsTable.name, column);
  const proved = address === undefined ? '' : `, ${of(verifiedTable.name, name('address'))}`;
  return {
    sql:
      `SELECT ${dialect.text(dialect.object(members))}, ${credential(mark)}, ${credential(since)}${proved} ` +
      `FROM ${name(model.table)} WHERE ${name(field.column)} = ${placeholder(1)}`,
  };
}
