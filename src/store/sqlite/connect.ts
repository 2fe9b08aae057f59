import Database from 'libsql';
import type { Row, StoreValue } from '../../core/store/contract.ts';
import { withDoubles } from './double.ts';

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

// Values go as one array: the driver takes a lone null for a missing argument otherwise.

export function firstRow(prepared: Prepared, values: readonly StoreValue[]): Row | undefined {
  const row = prepared.get(values) as Row | undefined;
  return row && withDoubles(row);
}

export const allRows = (prepared: Prepared, values: readonly StoreValue[]): Row[] =>
  (prepared.all(values) as Row[]).map(withDoubles);
