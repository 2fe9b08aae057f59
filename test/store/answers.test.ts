// Answers that are kept as long as the database has not changed, by whomever.
import { renameSync, rmSync } from 'node:fs';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import Database from 'libsql';
import type { StoreValue } from '../../src/core/sql/statement.ts';
import { keepAnswers } from '../../src/store/base/kept-answers.ts';
import { changeMarkOf } from '../../src/store/sqlite/change-mark.ts';
import { connect } from '../../src/store/sqlite/connect.ts';
import { openSqlite } from '../../src/store/sqlite/open.ts';

const folder = mkdtempSync(join(tmpdir(), 'vantfell-answers-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

describe('what is kept', () => {
  /** Answers with how often each was made. */
  function counting(most: number) {
    let mark: number | undefined = 1;
    let made = 0;
    const answers = keepAnswers(most, () => mark);
    const by = {};
    return {
      ask: async (values: readonly StoreValue[], kind: object = by, text = 'x') =>
        (
          await answers.of(
            kind,
            values,
            () => Promise.resolve({ text, n: (made += 1) }),
            (one) => one.text.length,
          )
        ).n,
      change: (now: number | undefined) => (mark = now),
      answers,
    };
  }

  test('the same question is answered once, until the database changes', async () => {
    const { ask, change } = counting(1_000_000);
    expect([await ask(['a']), await ask(['a']), await ask(['b']), await ask(['a'], {})]).toEqual([1, 1, 2, 3]);
    change(2);
    expect([await ask(['a']), await ask(['a'])]).toEqual([4, 4]);
    change(undefined);
    expect([await ask(['a']), await ask(['a'])]).toEqual([5, 6]);
  });

  test('values of other types, or cut at another place, are other questions', async () => {
    const { ask } = counting(1_000_000);
    const all: StoreValue[][] = [
      ...[[1], ['1'], [1n], [true], ['true'], [null], ['null'], ['']],
      ...[
        ['a', 'b'],
        ['a,"b"', ''],
        ['a","b', ''],
        ['', 'a,b'],
        ['"a', 'b'],
      ],
      ...[[1, '2'], ['1', 2], ['number 1', 2], ['[1]'], ['"1"'], ['constructor'], ['__proto__']],
    ];
    const first = new Map<unknown, number>();
    for (const values of all) first.set(values, await ask(values));
    expect(new Set(first.values()).size).toBe(all.length);
    for (const values of all) expect(await ask([...values])).toBe(first.get(values));
  });

  test('what was written while an answer was made may be missing from it: it is not kept', async () => {
    let mark = 1;
    const answers = keepAnswers(1_000_000, () => mark);
    const by = {};
    let made = 0;
    const ask = (meanwhile: () => void) =>
      answers.of(
        by,
        [],
        () => (meanwhile(), Promise.resolve({ n: (made += 1) })),
        () => 1,
      );
    expect((await ask(() => (mark += 1))).n).toBe(1);
    expect((await ask(() => undefined)).n).toBe(2);
    expect((await ask(() => undefined)).n).toBe(2);
    // One that fails leaves nothing behind.
    await expect(
      answers.of(
        {},
        [],
        () => Promise.reject(new Error('no')),
        () => 1,
      ),
    ).rejects.toThrow('no');
  });

  test('the bytes are bounded: what was asked for last is kept', async () => {
    const { ask } = counting(100_000);
    const long = 'y'.repeat(10_000);
    for (let at = 0; at < 20; at += 1) await ask([at], undefined, long);
    expect(await ask([19], undefined, long)).toBe(20);
    expect(await ask([0], undefined, long)).toBe(21);
    // One that would take more than a quarter of the room is never kept.
    const huge = 'z'.repeat(20_000);
    expect(await ask(['huge'], undefined, huge)).not.toBe(await ask(['huge'], undefined, huge));
  });

  test('a question that is never asked again takes no room for long; one that is comes back', async () => {
    const { ask } = counting(1_000_000);
    for (let at = 0; at < 2_000; at += 1) await ask([at]);
    let again = 0;
    for (let at = 0; at < 64; at += 1) again += (await ask(['same'])) === (await ask(['same'])) ? 1 : 0;
    expect(again).toBeLessThan(8);
    for (let at = 0; at < 20_000; at += 1) await ask(['same']);
    expect(await ask(['same'])).toBe(await ask(['same']));
  });
});

describe('the change mark', () => {
  test('every commit changes it, of any connection, and nothing else does', () => {
    const file = join(folder, 'mark.db');
    const [reading, writing] = [connect(file), connect(file)];
    writing.exec('CREATE TABLE a (n INTEGER)');
    const mark = changeMarkOf(file, reading);
    try {
      for (let n = 0; n < 200; n += 1) {
        const before = mark.now();
        reading.prepare('SELECT count(*) FROM a').get([]);
        writing.exec(`BEGIN; INSERT INTO a VALUES (${n})`);
        expect(mark.now()).toBe(before);
        writing.exec(n % 3 === 0 ? 'ROLLBACK' : 'COMMIT');
        if (n % 3 === 0) expect(mark.now()).toBe(before);
        else expect(mark.now()).not.toBe(before);
        if (n % 50 === 0) writing.exec('PRAGMA wal_checkpoint(TRUNCATE)');
      }
    } finally {
      for (const one of [reading, writing]) one.close();
      mark.close();
    }
  });

  test('a store on a file that took the place of another has a mark of its own', async () => {
    const file = join(folder, 'replaced.db');
    const options = { cache: 1_000_000 };
    const sql = { sql: 'SELECT n FROM a' };
    const by = {};
    const read = async (store: ReturnType<typeof openSqlite>) =>
      (
        await store.answers!.of(
          by,
          [],
          async () => ({ row: await store.first(sql, []) }),
          () => 1,
        )
      ).row;
    const write = (text: string): void => {
      const other = new Database(file);
      other.exec(text);
      other.close();
    };
    const old = openSqlite(file, options);
    write('CREATE TABLE a (n INTEGER); INSERT INTO a VALUES (1)');
    expect([await read(old), await read(old)]).toEqual([[1], [1]]);
    for (const end of ['', '-wal', '-shm']) renameSync(file + end, `${file}.old${end}`);
    const fresh = openSqlite(file, options);
    write('CREATE TABLE a (n INTEGER); INSERT INTO a VALUES (2)');
    expect([await read(fresh), await read(fresh)]).toEqual([[2], [2]]);
    write('UPDATE a SET n = 3');
    expect(await read(fresh)).toEqual([3]);
    await old.close();
    write('UPDATE a SET n = 4');
    expect(await read(fresh)).toEqual([4]);
    await fresh.close();
  });
});
