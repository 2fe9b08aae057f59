// What both twins ask a database with: the driver itself, its statements prepared once.
import Database from 'libsql';
import pg from 'pg';

export const isSqlite = (address) => address.startsWith('sqlite:');

/** A function from values to rows, as arrays where they are `raw`, else as objects. On SQLite it answers at once. */
export function openDriver(address, { raw }) {
  if (isSqlite(address)) {
    const database = new Database(address.slice('sqlite:'.length));
    database.exec('PRAGMA journal_mode = WAL');
    return (sql) => {
      const statement = database.prepare(sql);
      if (raw) statement.raw(true);
      return (values) => statement.all(values);
    };
  }
  const asText = (type) =>
    type === 20 || type === 21 || type === 23 ? Number : type === 16 ? (text) => text === 't' : String;
  const pool = new pg.Pool({ connectionString: address, max: 8, types: { getTypeParser: asText } });
  let named = 0;
  return (sql) => {
    const name = `b${(named += 1)}`;
    return async (values) => (await pool.query({ name, text: sql, values, ...(raw ? { rowMode: 'array' } : {}) })).rows;
  };
}
