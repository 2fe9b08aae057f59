import { accessSync, constants, existsSync } from 'node:fs';
import { StoreError } from '../../core/store/contract.ts';
import type { Alteration, Store, Transaction } from '../../core/store/contract.ts';
import { keepAnswers } from '../base/kept-answers.ts';
import type { StoreOptions } from '../base/options.ts';
import { timedReading } from '../base/time-limit.ts';
import { alterationOn } from './alter.ts';
import { readCatalogue } from './catalogue.ts';
import { changeMarkOf } from './change-mark.ts';
import type { ChangeMark } from './change-mark.ts';
import { BUSY_MS, connect } from './connect.ts';
import type { Connection } from './connect.ts';
import { readerOf } from './connected.ts';
import type { Connected } from './connected.ts';
import { sqliteDdl } from './ddl.ts';
import { sqliteDialect } from './dialect.ts';
import { storeError } from './errors.ts';
import { watchFile } from './file-watch.ts';
import { makeQueue } from './queue.ts';
import { readsOn } from './reads.ts';
import { makeSlowReads } from './slow-reads.ts';
import { sharedCommits } from './shared-commit.ts';
import { holdTables } from './tables-mark.ts';
import type { TablesMark } from './tables-mark.ts';
import { transactionsOn } from './transactions.ts';

const ALTERING_MS = 600_000;

/** Opens (and makes, where it is missing) the database in a file. Its folder must exist. */
export function openSqlite(
  file: string,
  {
    slowReads = 0,
    cache = 0,
    longestRead = 5_000,
    longestTransaction,
    mostWaiting,
    onMoved,
    asItIs = false,
  }: StoreOptions = {},
): Store {
  const [writing, reading] = connections(file, asItIs);
  const watch = watchFile(file);
  const line = makeQueue(mostWaiting);
  const read = readerOf(reading);
  const slow = slowReads === 0 ? undefined : makeSlowReads(file, slowReads, longestRead, asItIs);
  const held = holdTables(`sqlite:${file}`, onMoved);
  const changes = cache === 0 ? undefined : changeMarkOf(file, reading);
  const reads = readsOn({ file, read, slow, watch, held, longestRead, changes });
  const write = readerOf(writing);
  const parts = { writing, write, file, watch, heed: () => held.heed(write, changes?.now()) };
  const whole = transactionsOn(parts);
  const share = sharedCommits(parts, line.run);

  const store: Store = {
    kind: 'sqlite',
    address: `sqlite:${file}`,
    dialect: sqliteDialect,
    ddl: sqliteDdl,
    ...reads,
    answers: changes && keepAnswers(cache, () => heededMark(changes, read, watch, held)),

    reading: (work, requester) => timedReading(store, longestRead, work, requester),

    transaction(work, { unlimited = false, isBrief = false } = {}) {
      // Other programs may stand in its way for so long from now on, the wait for its turn included.
      const busyUntil = performance.now() + BUSY_MS;
      if (unlimited) return line.run(() => whole(work, undefined, busyUntil));
      return line.waiting(() =>
        isBrief
          ? share(work, longestTransaction, busyUntil)
          : line.run(() => whole(work, longestTransaction, busyUntil)),
      );
    },

    alter(work) {
      // Another program may be at the same work, for as long as that takes.
      const busyUntil = performance.now() + ALTERING_MS;
      return line.run(() => altered(writing, held, work, (change) => whole(change, undefined, busyUntil)));
    },

    catalogue: (thorough) => Promise.resolve(readCatalogue(reading, mayWrite(file), thorough)),

    async close() {
      await slow?.close();
      await line.run(() => {
        reading.close();
        writing.close();
        changes?.close();
        return Promise.resolve();
      });
    },
  };
  return store;
}

/** Does work on tables, in a transaction that `whole` makes. */
async function altered<Result>(
  writing: Connection,
  held: TablesMark,
  work: (alteration: Alteration) => Promise<Result>,
  whole: (change: (transaction: Transaction) => Promise<Result>) => Promise<Result>,
): Promise<Result> {
  // A table that is made anew is dropped first: its rows must not take others along. The end looks after all of them.
  writing.exec('PRAGMA foreign_keys = OFF');
  try {
    return await whole(async (transaction) => {
      const alteration = alterationOn(writing, transaction, held);
      const result = await work(alteration);
      alteration.checkReferences();
      return result;
    });
  } finally {
    writing.exec('PRAGMA foreign_keys = ON');
  }
}

/** One for writes, and one for reads. */
function connections(file: string, asItIs: boolean): [Connection, Connection] {
  if (asItIs && !existsSync(file)) throw noFile(file);
  try {
    return [connect(file, asItIs), connect(file, asItIs)];
  } catch (error) {
    throw storeError(error, file);
  }
}

const noFile = (file: string): StoreError =>
  new StoreError(
    { kind: 'unreachable' },
    `the database sqlite:${file} can not be used: there is no such file`,
    'name the file of a database that is there',
  );

function mayWrite(file: string): boolean {
  try {
    accessSync(file, constants.W_OK);
    return true;
  } catch {
    return false;
  }
}

/** The change mark of a database that is still the one, with the tables, that it was; undefined where it is not. */
function heededMark(
  changes: ChangeMark,
  read: Connected,
  watch: ReturnType<typeof watchFile>,
  held: TablesMark,
): number | undefined {
  try {
    watch.checkNowAndThen(performance.now());
    const now = changes.now();
    held.heed(read, now);
    return now;
  } catch {
    // The read that follows says what is wrong.
    return undefined;
  }
}
