import type { Pool, PoolConnection } from 'mariadb/callback';

/** A connection that a pool lends. */
export const connectionOf = (pool: Pool): Promise<PoolConnection> =>
  new Promise((resolve, reject) => {
    pool.getConnection((error, connection) => (error === null ? resolve(connection!) : reject(error)));
  });

/** Gives a connection back; one that has broken is thrown away. */
export function giveBack(connection: PoolConnection, isBroken = false): void {
  if (isBroken) connection.destroy();
  connection.release(() => undefined);
}
