import Database from 'libsql';
import type { Row, StoreValue } from '../../core/sql/statement.ts';
import { hasDoubles, withDoubles } from './double.ts';

export type Connection = InstanceType<typeof Database>;

/** A statement whose rows come as arrays. */
export interface Prepared {
  readonly statement: ReturnType<Connection['prepare']>;
  /** Whether its rows may have doubles that still need their form. */
  readonly doubles: boolean;
}

/** How long this waits for another program's transaction. */
export const BUSY_MS = 5_000;

/** Opens (and makes, where it is missing) the database in a file; `asItIs`: that of others, in the form that it has. */
export function connect(file: string, asItIs = false): Connection {
  const connection = new Database(file);
  connection.exec(`PRAGMA busy_timeout = ${BUSY_MS}`);
  if (!asItIs) connection.exec('PRAGMA journal_mode = WAL');
  connection.exec('PRAGMA foreign_keys = ON');
  connection.exec('PRAGMA synchronous = NORMAL');
  // Pages that are written again and again go back to the database's own file less often: 16 MB instead of 4.
  connection.exec('PRAGMA wal_autocheckpoint = 4000');
  // From here on nothing waits inside the driver, where it would hold up all the rest: see when-free.ts.
  connection.exec('PRAGMA busy_timeout = 0');
  return connection;
}

export function prepare(connection: Connection, sql: string): Prepared {
  const statement = connection.prepare(sql);
  // Without columns there is nothing to read, and the driver refuses to be asked for raw rows.
  if (statement.reader) statement.raw(true);
  return { statement, doubles: hasDoubles(sql) };
}

// Values go as one array: the driver takes a lone null for a missing argument otherwise.

export function firstRow({ statement, doubles }: Prepared, values: readonly StoreValue[]): Row | undefined {
  const row = statement.get(values) as Row | undefined;
  return doubles && row !== undefined ? withDoubles(row) : row;
}

export function allRows({ statement, doubles }: Prepared, values: readonly StoreValue[]): Row[] {
  const rows = statement.all(values) as Row[];
  return doubles ? rows.map(withDoubles) : rows;
}
