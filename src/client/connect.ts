import { collection, dataIn } from './collections.ts';
import type { ClientOptions, RequestOptions } from './options.ts';
import type { Query } from './query.ts';
import { keepTokens, send } from './send.ts';
import type { Connection, Table } from './send.ts';

/** Makes a client of a table. Its methods are typed where it is given a type. */
export function connect(table: Table, options: ClientOptions): unknown {
  const state: Connection['state'] = {
    signedIn: undefined,
    refresh: options.refreshToken,
    refreshing: undefined,
    written: undefined,
  };
  const connection: Connection = { state, options, table, base: options.url.replace(/\/+$/, '') };
  const forget = (): void => {
    state.signedIn = undefined;
    state.refresh = undefined;
  };
  const session = {
    signIn: async (body: unknown, { signal, headers }: RequestOptions = {}) => {
      const sent = { body, signal, headers, again: true, anonymous: true };
      const got = await send(connection, 'POST', table.tokens!, sent);
      await keepTokens(connection, got.body);
      return got.body;
    },
    signOut: () => forget(),
    sessions: async ({ signal, headers }: RequestOptions = {}) =>
      dataIn(await send(connection, 'GET', `${table.me!}/sessions`, { signal, headers, again: true })),
    endSession: async (id: string, { signal, headers }: RequestOptions = {}) => {
      const path = `${table.me!}/sessions/${encodeURIComponent(id)}`;
      await send(connection, 'DELETE', path, { signal, headers, again: true });
    },
    revoke: async ({ signal, headers }: RequestOptions = {}) => {
      const path = `${table.me!.replace(/me$/, 'tokens')}/revoke`;
      await send(connection, 'POST', path, { signal, headers, again: true });
      forget();
    },
    me: async ({ signal, headers, ...query }: Query & RequestOptions = {}) =>
      dataIn(await send(connection, 'GET', table.me!, { query, signal, headers, again: true })),
  };
  return {
    ...Object.fromEntries(Object.entries(table.models).map(([name, route]) => [name, collection(connection, route)])),
    session,
  };
}
