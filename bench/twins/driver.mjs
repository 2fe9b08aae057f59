// What both twins ask a database with: the driver itself, its statements prepared once.
import Database from 'libsql';
import pg from 'pg';

export const isSqlite = (address) => address.startsWith('sqlite:');

/**
 * A function from values to rows, as arrays where they are `raw`, else as objects. On SQLite it answers at once. Its
 * `transaction` does the work of a generator, which yields statements with their values and is given their rows.
 */
export function openDriver(address, { raw }) {
  return isSqlite(address) ? openSqlite(address, raw) : openPostgres(address, raw);
}

function openSqlite(address, raw) {
  const database = new Database(address.slice('sqlite:'.length));
  database.exec('PRAGMA journal_mode = WAL');
  database.exec('PRAGMA synchronous = NORMAL');
  // The others write to the same file.
  database.exec('PRAGMA busy_timeout = 5000');
  const prepare = (sql) => {
    const statement = database.prepare(sql);
    if (!statement.reader) return (values) => statement.run(values);
    if (raw) statement.raw(true);
    return (values) => statement.all(values);
  };
  const transaction = (work) => {
    database.exec('BEGIN IMMEDIATE');
    try {
      let step = work.next();
      while (!step.done) step = work.next(step.value[0](step.value[1]));
      database.exec('COMMIT');
      return step.value;
    } catch (error) {
      database.exec('ROLLBACK');
      throw error;
    }
  };
  return Object.assign(prepare, { transaction });
}

function openPostgres(address, raw) {
  const asText = (type) =>
    type === 20 || type === 21 || type === 23 ? Number : type === 16 ? (text) => text === 't' : String;
  const pool = new pg.Pool({ connectionString: address, max: 8, types: { getTypeParser: asText } });
  let named = 0;
  const prepare = (sql) => {
    const name = `b${(named += 1)}`;
    const ask = async (values, on = pool) =>
      (await on.query({ name, text: sql, values, ...(raw ? { rowMode: 'array' } : {}) })).rows;
    return ask;
  };
  const transaction = async (work) => {
    const client = await pool.connect();
    try {
      await client.query('BEGIN');
      let step = work.next();
      while (!step.done) step = work.next(await step.value[0](step.value[1], client));
      await client.query('COMMIT');
      return step.value;
    } catch (error) {
      await client.query('ROLLBACK');
      throw error;
    } finally {
      client.release();
    }
  };
  return Object.assign(prepare, { transaction });
}
