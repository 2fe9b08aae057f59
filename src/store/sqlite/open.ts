import Database from 'libsql';
import type { Reader, Row, Statement, Store, StoreValue, Transaction } from '../../core/store/contract.ts';
import { StoreError } from '../../core/store/contract.ts';
import { sqliteDialect } from './dialect.ts';
import { storeError } from './errors.ts';
import { alterationOn } from './alter.ts';
import { sqliteDdl } from './ddl.ts';
import { makeQueue } from './queue.ts';

type Connection = InstanceType<typeof Database>;
type Prepared = ReturnType<Connection['prepare']>;

/** How long a statement waits for another program's transaction. */
const BUSY_MS = 5_000;
const ALTERING_MS = 600_000;

/** Opens (and makes, where it is missing) the database in a file. Its folder must exist. */
export function openSqlite(file: string): Store {
  let reading: Connection;
  let writing: Connection;
  try {
    writing = connect(file);
    reading = connect(file);
  } catch (error) {
    throw storeError(error, file);
  }
  const inLine = makeQueue();
  const read = readerOf(reading, file);
  const write = readerOf(writing, file);

  const whole = async <Result>(work: (transaction: Transaction) => Promise<Result>): Promise<Result> => {
    try {
      const transaction = transactionOn(write, (sql) => writing.exec(sql));
      writing.exec('BEGIN IMMEDIATE');
      try {
        const result = await work(transaction.handle);
        transaction.end();
        writing.exec('COMMIT');
        return result;
      } catch (error) {
        transaction.end();
        if (writing.inTransaction) writing.exec('ROLLBACK');
        throw error;
      }
    } catch (error) {
      throw isDrivers(error) ? storeError(error, file) : error;
    }
  };

  return {
    kind: 'sqlite',
    address: `sqlite:${file}`,
    dialect: sqliteDialect,
    ddl: sqliteDdl,
    first: read.first,
    all: read.all,

    transaction: (work) => inLine(() => whole(work)),

    alter: (work) =>
      inLine(async () => {
        // Another program may be at the same work, for as long as that takes.
        writing.exec(`PRAGMA busy_timeout = ${ALTERING_MS}`);
        // A table that is made anew is dropped first: its rows must not take others along. The end looks after all of them.
        writing.exec('PRAGMA foreign_keys = OFF');
        try {
          return await whole(async (transaction) => {
            const alteration = alterationOn(writing, transaction);
            const result = await work(alteration);
            alteration.checkReferences();
            return result;
          });
        } finally {
          writing.exec('PRAGMA foreign_keys = ON');
          writing.exec(`PRAGMA busy_timeout = ${BUSY_MS}`);
        }
      }),

    close() {
      return inLine(() => {
        reading.close();
        writing.close();
        return Promise.resolve();
      });
    },
  };
}

/** An error of the driver, as opposed to one that the work of a transaction threw by itself. */
const isDrivers = (error: unknown): boolean =>
  error instanceof Error && typeof (error as { code?: unknown }).code === 'string' && !(error instanceof StoreError);

function connect(file: string): Connection {
  const connection = new Database(file);
  connection.exec(`PRAGMA busy_timeout = ${BUSY_MS}`);
  connection.exec('PRAGMA journal_mode = WAL');
  connection.exec('PRAGMA foreign_keys = ON');
  connection.exec('PRAGMA synchronous = NORMAL');
  return connection;
}

interface Connected extends Reader {
  run(statement: Statement, values: readonly StoreValue[]): Promise<number>;
}

function readerOf(connection: Connection, file: string): Connected {
  const prepared = new WeakMap<Statement, Prepared>();

  const prepare = (statement: Statement): Prepared => {
    let found = prepared.get(statement);
    if (found === undefined) {
      found = connection.prepare(statement.sql);
      // Without columns there is nothing to read, and the driver refuses to be asked for raw rows.
      if (found.reader) found.raw(true);
      prepared.set(statement, found);
    }
    return found;
  };
  const answer = <Result>(statement: Statement, ask: (prepared: Prepared) => Result): Promise<Result> => {
    try {
      return Promise.resolve(ask(prepare(statement)));
    } catch (error) {
      // The driver doesn't reset a statement that failed: used again, it would fail again, whatever it is given.
      prepared.delete(statement);
      return Promise.reject(storeError(error, file));
    }
  };

  // Values go as one array: the driver takes a lone null for a missing argument otherwise.
  return {
    first: (statement, values) => answer(statement, (found) => found.get(values) as Row | undefined),
    all: (statement, values) => answer(statement, (found) => found.all(values) as Row[]),
    run: (statement, values) => answer(statement, (found) => found.run(values).changes),
  };
}

/** A transaction's own handle: after the end it refuses, instead of writing outside. */
function transactionOn(connected: Connected, exec: (sql: string) => unknown): { handle: Transaction; end(): void } {
  let over = false;
  let points = 0;
  const guard =
    <Arguments extends unknown[], Result>(ask: (...given: Arguments) => Promise<Result>) =>
    (...given: Arguments): Promise<Result> =>
      over
        ? Promise.reject(new StoreError({ kind: 'defect' }, 'this transaction has ended', 'await every call within it'))
        : ask(...given);
  return {
    handle: {
      first: guard(connected.first),
      all: guard(connected.all),
      run: guard(connected.run),
      async nested(work) {
        const point = `n${(points += 1)}`;
        exec(`SAVEPOINT ${point}`);
        try {
          const result = await work();
          exec(`RELEASE ${point}`);
          return result;
        } catch (error) {
          exec(`ROLLBACK TO ${point}`);
          exec(`RELEASE ${point}`);
          throw error;
        }
      },
    },
    end: () => void (over = true),
  };
}
