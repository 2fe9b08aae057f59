import type pg from 'pg';
import { startClock } from '../base/time-limit.ts';
import { put } from './query.ts';
import type { Query, Result } from './query.ts';

/** Whatever answers statements: a connection, a pool of them, or pipes. */
export interface Queryable {
  query(query: Query): Promise<Result>;
}

/** The answer of a connection as a promise: one, where the driver's own way takes three. */
export const askOn = (client: pg.ClientBase, query: Query): Promise<Result> =>
  new Promise((resolve, reject) => {
    put(client, query, (error, result) => (error === undefined ? resolve(result!) : reject(error)));
  });

export const queryableOf = (client: pg.ClientBase): Queryable => ({ query: (query) => askOn(client, query) });

/** Reads over the connections of a pool, which break where nothing is said for `longest` milliseconds. */
export const readsOver = (pool: pg.Pool, longest: number): Queryable => ({
  query: (query) =>
    new Promise((resolve, reject) => {
      pool.connect((error, client, release) => {
        if (client === undefined) return reject(error!);
        const answered = startClock(longest, () => breakOff(client));
        put(client, query, (failure, result) => {
          answered();
          release(failure);
          if (failure === undefined) resolve(result!);
          else reject(failure);
        });
      });
    }),
});

interface Socket {
  cork(): void;
  uncork(): void;
  destroy(): void;
}

const socketOf = (client: pg.ClientBase): Socket =>
  (client as unknown as { connection: { stream: Socket } }).connection.stream;

/** Ends a connection at once: whatever waits for it fails. */
export const breakOff = (client: pg.ClientBase): void => socketOf(client).destroy();

/** What is put to a connection until `later` calls back leaves in one piece: a write costs as much as a statement. */
export function inOnePiece(client: pg.ClientBase, later: (send: () => void) => unknown): void {
  const socket = socketOf(client);
  socket.cork();
  later(() => socket.uncork());
}
