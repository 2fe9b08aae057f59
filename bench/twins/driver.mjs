// What both twins ask a database with: the driver itself, its statements prepared once.
import Database from 'libsql';
import { createPool } from 'mariadb';
import pg from 'pg';
import { placed } from '../../build/store/mariadb/placeholders.js';
import { SESSION } from '../../build/store/mariadb/session.js';

/** `sqlite`, `postgres` or `mariadb`. */
export const kindOf = (address) => address.slice(0, address.indexOf(':'));

/**
 * A function from values to rows, as arrays where they are `raw`, else as objects. On SQLite it answers at once. Its
 * `transaction` does the work of a generator, which yields statements with their values and is given their rows, and
 * `moment` is a date and time as the database takes it.
 */
export function openDriver(address, { raw }) {
  return { sqlite: openSqlite, postgres: openPostgres, mariadb: openMariadb }[kindOf(address)](address, raw);
}

const asIs = (moment) => moment;

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
  return Object.assign(prepare, { transaction, moment: asIs });
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
  const begin = async () => {
    const client = await pool.connect();
    await client.query('BEGIN');
    return client;
  };
  return Object.assign(prepare, { transaction: inTransactions(begin), moment: asIs });
}

function openMariadb(address, raw) {
  const { hostname: host, port, username: user, pathname } = new URL(address);
  const pool = createPool({
    ...{ host, port: Number(port), user, database: pathname.slice(1), connectionLimit: 8, initSql: SESSION },
    ...{ rowsAsArray: raw, bigIntAsNumber: true, dateStrings: true, autoJsonMap: false },
  });
  const prepare = (sql) => {
    const { text, order } = placed(sql);
    return (values, on = pool) => on.execute(text, order.length > 0 ? order.map((at) => values[at]) : values);
  };
  const begin = async () => {
    const client = await pool.getConnection();
    await client.query('START TRANSACTION');
    return client;
  };
  const moment = (text) => text.replace('T', ' ').replace('Z', '');
  return Object.assign(prepare, { transaction: inTransactions(begin), moment });
}

/** Transactions of a server, on connections that `begin` gives. */
function inTransactions(begin) {
  return async (work) => {
    const client = await begin();
    try {
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
}
