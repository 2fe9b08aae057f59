import { addressDigest } from '../core/identity/codes.ts';
import { modelOf } from '../core/model/graph.ts';
import type { Graph } from '../core/model/graph.ts';
import type { Identity } from '../core/model/identity.ts';
import type { Scalar } from '../core/model/scalar.ts';
import { fromText } from '../core/model/value.ts';
import type { Store } from '../core/store/contract.ts';
import { samplesTable, verifiedTable } from '../core/tables/own-tables.ts';
import { nearest } from '../core/text/nearest.ts';
import { EXIT, Failure } from './failure.ts';
import { keyOfSample } from './handles.ts';

/** The identity of a service that gives tokens itself; throws where it gives none, with what to do instead. */
export function signing({ identity }: Graph, instead: { readonly none: string; readonly outside: string }): Identity {
  if (identity === undefined) throw new Failure(EXIT.foundWrong, 'nobody signs in to this service', instead.none);
  if (identity.issuer === undefined) return identity;
  throw new Failure(EXIT.foundWrong, `the tokens of this service come from ${identity.issuer.issuer}`, instead.outside);
}

/**
 * The key of somebody who can sign in: named as a sample (`member/ines`, or `ines`), by their login, by the subject of
 * their tokens, or by the key itself.
 */
export async function callerCalled(graph: Graph, store: Store, who: string): Promise<Scalar> {
  const identity = graph.identity!;
  const model = modelOf(graph, identity.model);
  const { dialect } = store;
  const name = (text: string): string => dialect.name(text);
  const place = dialect.placeholder(1);
  const own = name(model.key.column);
  const keyWhere = (column: string) => ({
    sql:
      'SELECT ' +
      `${dialect.text(dialect.object([{ name: 'key', value: dialect.value(model.key, own) }]))} ` +
      `FROM ${name(model.table)} WHERE ${name(column)} = ${place}`,
  });
  const read = (row: readonly unknown[] | undefined): Scalar | undefined =>
    row === undefined ? undefined : (JSON.parse(String(row[0])) as { key: Scalar }).key;

  const bare = who.startsWith(`${model.name}/`) ? who.slice(model.name.length + 1) : who;
  const handle = `${model.name}/${bare}`;
  const known = await keyOfSample(graph, store, handle);
  for (const [field, text] of [
    [model.key, known ?? bare],
    [identity.login, bare],
    [identity.subject, bare],
  ] as const) {
    const value = field && fromText(field, field.rules.letters === 'lower' ? text.toLowerCase() : text);
    if (value === undefined || 'fault' in value) continue;
    const key = read(await store.first(keyWhere(field!.column), [dialect.bind(field!, value.value)]));
    if (key !== undefined) return key;
  }
  const names = {
    sql:
      `SELECT ${name('name')} FROM ${name(samplesTable.name)} ` +
      `WHERE ${name('name')} LIKE ${place} ORDER BY ${name('name')} ` +
      'LIMIT 200',
  };
  const handles = (await store.all(names, [`${model.name}/%`])).map(([one]) => String(one));
  const near = nearest(handle, handles) ?? handles[0];
  const login = identity.login === undefined ? '' : `, or the ${identity.login.member} of one`;
  throw new Failure(
    EXIT.foundWrong,
    `there is no ${model.name} ${who}`,
    near === undefined
      ? `load samples with vantfell seed, or name the key of a ${model.name}${login}`
      : `did you mean ${near}? A key${login} does as well`,
  );
}

/** Whether a caller, by the text of their key, has proved an address: nobody where none is. */
export async function provedAddresses(
  { identity }: Graph,
  store: Store,
): Promise<(key: string, address: unknown) => boolean> {
  if (identity?.codes?.verify === undefined) return () => false;
  const { name } = store.dialect;
  const [caller, address] = verifiedTable.columns.map((column) => name(column.name));
  const rows = await store.all({ sql: `SELECT ${caller}, ${address} FROM ${name(verifiedTable.name)}` }, []);
  const proved = new Map(rows.map(([key, digest]) => [String(key), String(digest)]));
  return (key, known) => typeof known === 'string' && proved.get(key) === addressDigest(known);
}
