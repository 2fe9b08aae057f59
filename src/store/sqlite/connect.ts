import Database from 'libsql';

export type Connection = InstanceType<typeof Database>;
export type Prepared = ReturnType<Connection['prepare']>;

/** How long a statement waits for another program's transaction. */
export const BUSY_MS = 5_000;

/** Opens (and makes, where it is missing) the database in a file. */
export function connect(file: string): Connection {
  const connection = new Database(file);
  connection.exec(`PRAGMA busy_timeout = ${BUSY_MS}`);
  connection.exec('PRAGMA journal_mode = WAL');
  connection.exec('PRAGMA foreign_keys = ON');
  connection.exec('PRAGMA synchronous = NORMAL');
  return connection;
}

/** Prepares a statement whose rows come as arrays. */
export function prepare(connection: Connection, sql: string): Prepared {
  const prepared = connection.prepare(sql);
  // Without columns there is nothing to read, and the driver refuses to be asked for raw rows.
  if (prepared.reader) prepared.raw(true);
  return prepared;
}
