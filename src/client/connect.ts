import { collection, dataIn } from './collections.ts';
import type { ClientOptions, RequestOptions } from './options.ts';
import type { Query } from './query.ts';
import { keepTokens, send } from './send.ts';
import type { Connection, Table } from './send.ts';

/** Makes a client of a table. Its methods are typed where it is given a type. */
export function connect(table: Table, options: ClientOptions): unknown {
  const state: Connection['state'] = {
    signedIn: undefined,
    given: 0,
    refresh: options.refreshToken,
    refreshing: undefined,
    written: undefined,
  };
  const connection: Connection = { state, options, table, base: options.url.replace(/\/+$/, '') };
  const forget = (): void => {
    state.signedIn = undefined;
    state.refresh = undefined;
  };
  const done = async (sent: Promise<unknown>): Promise<void> => void (await sent);
  /** What is asked by somebody who is not signed in, and is done once: a code is good for no more. */
  const proved = (path: string, body: unknown, { signal, headers }: RequestOptions): Promise<void> => {
    const at = table.me!.replace(/me$/, path);
    return done(send(connection, 'POST', at, { body, signal, headers, again: false, anonymous: true }));
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
    changeSecret: async (body: unknown, { signal, headers }: RequestOptions = {}) => {
      const got = await send(connection, 'POST', `${table.me!}/secret`, { body, signal, headers, again: false });
      await keepTokens(connection, got.body);
      return got.body;
    },
    askVerification: ({ signal, headers }: RequestOptions = {}) =>
      done(send(connection, 'POST', `${table.me!}/verification`, { signal, headers, again: true })),
    verifyAddress: (body: unknown, given: RequestOptions = {}) => proved('verification', body, given),
    askReset: (body: unknown, given: RequestOptions = {}) => proved('reset', body, given),
    resetSecret: (body: unknown, given: RequestOptions = {}) => proved('reset/secret', body, given),
    me: async ({ signal, headers, ...query }: Query & RequestOptions = {}) =>
      dataIn(await send(connection, 'GET', table.me!, { query, signal, headers, again: true })),
  };
  return {
    ...Object.fromEntries(Object.entries(table.models).map(([name, route]) => [name, collection(connection, route)])),
    session,
  };
}
