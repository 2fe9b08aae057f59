// Writers of SQLite that wait share the next commit: fewer commits, and the outcome of each as if it were alone.
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setImmediate } from 'node:timers/promises';
import { afterAll, afterEach, beforeEach, expect, test } from '@jest/globals';
import { StoreError } from '../../src/core/store/contract.ts';
import type { Store, Transaction } from '../../src/core/store/contract.ts';
import { connect } from '../../src/store/sqlite/connect.ts';
import type { Connection } from '../../src/store/sqlite/connect.ts';
import { openSqlite } from '../../src/store/sqlite/open.ts';

const folder = mkdtempSync(join(tmpdir(), 'vantfell-shared-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const INSERT = { sql: 'INSERT INTO bunks (name, hut) VALUES (?1, ?2)' };
const WRITERS = 40;
let [file, number] = ['', 0];
let other: Connection;
let store: Store;

beforeEach(() => {
  file = join(folder, `${(number += 1)}.db`);
  other = connect(file);
  other.exec('CREATE TABLE huts (id INTEGER PRIMARY KEY) STRICT');
  other.exec('INSERT INTO huts VALUES (1)');
  other.exec(
    'CREATE TABLE bunks (name TEXT PRIMARY KEY, ' +
      'hut INTEGER NOT NULL REFERENCES huts DEFERRABLE INITIALLY DEFERRED) STRICT',
  );
  store = openSqlite(file, { longestTransaction: 2_000 });
});
afterEach(async () => {
  await store.close();
  other.close();
});

const names = (): unknown[] => other.prepare('SELECT name FROM bunks ORDER BY name').raw(true).all().flat();
const brief = (work: (transaction: Transaction) => Promise<unknown>) => store.transaction(work, { isBrief: true });
const insert = (name: string, hut = 1) => brief((transaction) => transaction.run(INSERT, [name, hut]));
const named = (at: number): string => `bunk ${String(at).padStart(2, '0')}`;
const all = (count: number): string[] => Array.from({ length: count }, (_none, at) => named(at));
/** `kept`, or the kind of the fault. */
const outcomes = async (writes: readonly Promise<unknown>[]): Promise<string[]> =>
  (await Promise.allSettled(writes)).map((one) => {
    if (one.status === 'fulfilled') return 'kept';
    return one.reason instanceof StoreError ? one.reason.fault.kind : String(one.reason);
  });

/** The commits in the write-ahead log: frames with the size of the database (https://www.sqlite.org/walformat.html). */
function commits(): number {
  const log = readFileSync(`${file}-wal`);
  const frame = 24 + log.readUInt32BE(8);
  let count = 0;
  for (let at = 32; at + frame <= log.length; at += frame) if (log.readUInt32BE(at + 4) > 0) count += 1;
  return count;
}

test('all that wait are kept by few commits', async () => {
  const before = commits();
  expect(await outcomes(all(WRITERS).map((name) => insert(name)))).toEqual(Array(WRITERS).fill('kept'));
  expect(names()).toEqual(all(WRITERS));
  expect(commits() - before).toBeLessThanOrEqual(3);
});

test('each can fail alone: what it wrote is taken back, and the others are kept', async () => {
  const writes = all(WRITERS).map((name, at) => {
    if (at % 4 === 1) return insert(named(at - 1));
    if (at % 4 !== 2) return insert(name);
    return brief(async (transaction) => {
      await transaction.run(INSERT, [name, 1]);
      throw new Error('changed my mind');
    });
  });
  const wanted = all(WRITERS).map((_name, at) => ['kept', 'unique', 'Error: changed my mind', 'kept'][at % 4]);
  expect(await outcomes(writes)).toEqual(wanted);
  expect(names()).toEqual(all(WRITERS).filter((_name, at) => at % 4 === 0 || at % 4 === 3));
});

test('a part within one can fail, and what is around it is kept', async () => {
  const writes = all(10).map((name) =>
    brief(async (transaction) => {
      await transaction.run(INSERT, [name, 1]);
      await transaction.nested(() => transaction.run(INSERT, [name, 1])).catch(() => undefined);
      return transaction.run(INSERT, [`${name} above`, 1]);
    }),
  );
  expect(await outcomes(writes)).toEqual(Array(10).fill('kept'));
  expect(names()).toHaveLength(20);
});

test('what only the commit refuses is the fault of one: the others are kept', async () => {
  const writes = all(12).map((name, at) => insert(name, at === 5 ? 7 : 1));
  const wanted = all(12).map((_name, at) => (at === 5 ? 'foreign-key' : 'kept'));
  expect(await outcomes(writes)).toEqual(wanted);
  expect(names()).toEqual(all(12).filter((name) => name !== named(5)));
});

test('one that takes too long is given up, and whoever came with it or after it is kept', async () => {
  await store.close();
  store = openSqlite(file, { longestTransaction: 100 });
  const writes = all(6).map((name, at) =>
    brief(async (transaction) => {
      await transaction.run(INSERT, [name, 1]);
      if (at === 2) await new Promise(() => undefined);
    }),
  );
  expect(await outcomes(writes)).toEqual(['kept', 'kept', 'too-slow', 'kept', 'kept', 'kept']);
  expect(names()).toEqual(all(6).filter((name) => name !== named(2)));
});

test('while another program writes, they wait, and then are all kept', async () => {
  other.exec('BEGIN IMMEDIATE');
  const writes = all(10).map((name) => insert(name));
  for (let turn = 0; turn < 3; turn += 1) await setImmediate();
  expect(names()).toEqual([]);
  other.exec('COMMIT');
  expect(await outcomes(writes)).toEqual(Array(10).fill('kept'));
});

test('those that share and those that do not take turns', async () => {
  const writes = all(30).map((name, at) =>
    at % 3 === 0 ? store.transaction((transaction) => transaction.run(INSERT, [name, 1])) : insert(name),
  );
  expect(await outcomes(writes)).toEqual(Array(30).fill('kept'));
  expect(names()).toEqual(all(30));
});

test('more than may wait are refused at once', async () => {
  await store.close();
  store = openSqlite(file, { mostWaiting: 5 });
  const found = await outcomes(all(20).map((name) => insert(name)));
  expect(found.slice(0, 6)).toEqual(Array(6).fill('kept'));
  expect(found.slice(6)).toEqual(Array(14).fill('crowded'));
  expect(names()).toEqual(all(6));
});

test('where its file has gone, nothing is told to be kept', async () => {
  rmSync(file);
  expect(await outcomes(all(5).map((name) => insert(name)))).toEqual(Array(5).fill('unreachable'));
});
