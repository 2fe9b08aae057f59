import { heldRoles } from '../../core/identity/callers.ts';
import { modelOf } from '../../core/model/graph.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { Store } from '../../core/store/contract.ts';
import { provedAddresses } from '../../project/callers.ts';
import { handlesIn } from '../../project/handles.ts';
import { samplesByKey } from '../trial/keep-walk.ts';

/** Somebody who may be acted as. */
export interface Person {
  /** `member/ines` for a sample; the key of others. */
  readonly who: string;
  readonly key: string;
  /** What tells them from others to a person: a login, a name. */
  readonly about: string;
  readonly roles: readonly string[];
}

const MOST = 200;

/** Those who can sign in: the samples of the identity model first, then other records. */
export async function peopleOf(graph: Graph, store: Store): Promise<Person[]> {
  const { identity } = graph;
  if (identity === undefined) return [];
  const model = modelOf(graph, identity.model);
  const { dialect } = store;
  const named = identity.login ?? identity.subject ?? model.key;
  const fields = { key: model.key, about: named, roles: identity.roles, address: identity.codes?.to };
  const members = Object.entries(fields).flatMap(([as, field]) =>
    field === undefined ? [] : [{ name: as, value: dialect.value(field, dialect.name(field.column)) }],
  );
  const isProved = await provedAddresses(graph, store);
  const sql =
    `SELECT ${dialect.text(dialect.object(members))} FROM ${dialect.name(model.table)} ` +
    `ORDER BY ${dialect.name(named.column)} LIMIT ${MOST}`;
  const handles = samplesByKey(await handlesIn(graph, store));
  const people = (await store.all({ sql }, [])).map(([text]): Person => {
    const { key, about, roles, address } = JSON.parse(String(text)) as Record<string, unknown>;
    const handle = handles.get(`${model.name} ${String(key)}`);
    return {
      who: handle ?? String(key),
      key: String(key),
      about: typeof about === 'string' || typeof about === 'number' ? String(about) : '',
      roles: heldRoles(rolesOf(roles), isProved(String(key), address)),
    };
  });
  return people.sort((one, other) => Number(other.who.includes('/')) - Number(one.who.includes('/')));
}

const rolesOf = (roles: unknown): string[] =>
  Array.isArray(roles) ? roles.map(String) : typeof roles === 'string' && roles !== '' ? [roles] : [];
