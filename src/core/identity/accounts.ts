import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import type { Statement } from '../sql/statement.ts';
import type { Store } from '../store/contract.ts';

/** What a caller signs in with, as it is stored. */
export interface Account {
  readonly key: Scalar;
  readonly login: FieldValue;
  /** Where codes are sent; null where the record has no address, or no codes are sent. */
  readonly address: string | null;
  /** The slow hash of the secret. */
  readonly hashed: string | null;
}

/** Finds the account with a value of a unique field of the identity model. */
export function accountFinder(
  graph: Graph,
  store: Store,
  field: Field,
): (value: FieldValue) => Promise<Account | undefined> {
  const find = accountStatement(graph, store, field);
  return async (value) => {
    const row = await store.first(find, [store.dialect.bind(field, value)]);
    if (row === undefined) return undefined;
    const { key, login, address = null } = JSON.parse(String(row[0])) as Omit<Account, 'hashed'>;
    return { key, login, address, hashed: row[1] as string | null };
  };
}

function accountStatement(graph: Graph, { dialect }: Store, field: Field): Statement {
  const identity = graph.identity!;
  const model = modelOf(graph, identity.model);
  const name = (column: string): string => dialect.name(column);
  const member = (as: keyof Account, of: Field) => ({ name: as, value: dialect.value(of, name(of.column)) });
  const members = [
    member('key', model.key),
    member('login', identity.login!),
    ...(identity.codes === undefined ? [] : [member('address', identity.codes.to)]),
  ];
  return {
    sql:
      `SELECT ${dialect.text(dialect.object(members))}, ${name(identity.secret!.column)} ` +
      `FROM ${name(model.table)} WHERE ${name(field.column)} = ${dialect.placeholder(1)}`,
  };
}
