// Backups of a SQLite database that is written to all the while: each opens, is whole, and is of one moment.
import { spawn } from 'node:child_process';
import { existsSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@jest/globals';
import Database from 'libsql';
import { ask, folderWith, serving, vantfell } from '../kit/program.ts';

const PROGRAM = fileURLToPath(new URL('../../dist/cli/main.js', import.meta.url));
const FILES = {
  'vantfell.yaml': 'service: { name: Post }\nstore: sqlite:./post.db\n',
  'models/parcel.yaml':
    'model: parcel\nfields: { label: { type: string, maxLength: 5000 } }\nrelations: { bag: { to: bag } }\n' +
    'may: { read: anybody, create: anybody, update: anybody }\njournal: true\n',
  'models/bag.yaml':
    'model: bag\nfields: { name: { type: string } }\nrelations: { parcels: { from: parcel.bag } }\n' +
    'may: { read: anybody, create: anybody }\njournal: true\n',
};

const count = (database: InstanceType<typeof Database>, sql: string): number =>
  Number((database.prepare(sql).raw(true).get() as [number])[0]);

test('backups under load open, and hold all that was acknowledged before and nothing by halves', async () => {
  const folder = folderWith(FILES);
  const server = await serving(folder, ['--workers', '2', '--quiet']);
  const acknowledged: string[] = [];
  let isOver = false;
  const writers = Array.from({ length: 4 }, async (_one, writer) => {
    for (let at = 0; !isOver; at += 1) {
      // A list is one transaction: all of it, or nothing.
      const labels = [0, 1, 2].map((part) => `${writer}-${at}-${part} ${'grey '.repeat(200)}`);
      const { status, body } = await ask(
        `${server.url}/parcels`,
        'POST',
        labels.map((label) => ({ label })),
      );
      expect(status).toBe(201);
      acknowledged.push(...(body.data as { id: string }[]).map(({ id }) => id));
    }
  });
  for (let at = 0; at < 12; at += 1) {
    const before = [...acknowledged];
    const file = join(folder, `backup-${at}.db`);
    expect(await vantfell(['backup', file, '-C', folder, '--quiet'])).toEqual({ code: 0, out: '', err: '' });
    const copy = new Database(file);
    expect(count(copy, "SELECT count(*) FROM pragma_integrity_check WHERE integrity_check = 'ok'")).toBe(1);
    const parcels = count(copy, 'SELECT count(*) FROM parcels');
    expect(parcels % 3).toBe(0);
    expect(parcels).toBeGreaterThanOrEqual(before.length);
    expect(count(copy, "SELECT count(*) FROM vantfell_journal WHERE action = 'create'")).toBe(parcels);
    const known = new Set((copy.prepare('SELECT id FROM parcels').raw(true).all() as [string][]).map(([id]) => id));
    expect(before.filter((id) => !known.has(id))).toEqual([]);
    copy.close();
  }
  isOver = true;
  await Promise.all(writers);
  expect(acknowledged.length).toBeGreaterThan(100);

  // One of them serves in place of the database.
  writeFileSync(join(folder, 'vantfell.yaml'), 'service: { name: Post }\nstore: sqlite:./backup-11.db\n');
  const other = await serving(folder);
  expect((await ask(`${other.url}/parcels?limit=1&total=true`)).body.page.total).toBeGreaterThan(100);
  expect(statSync(join(folder, 'backup-0.db')).mode).toBe(statSync(join(folder, 'post.db')).mode);
});

test('a backup that is killed leaves no file that looks like one, and the next one is whole', async () => {
  const folder = folderWith(FILES);
  const server = await serving(folder);
  const label = 'x'.repeat(5_000);
  for (let at = 0; at < 10; at += 1) {
    await ask(
      `${server.url}/parcels`,
      'POST',
      Array.from({ length: 150 }, () => ({ label })),
    );
  }
  const file = join(folder, 'backup.db');
  let killed = 0;
  for (let wait = 0; wait < 40 && !existsSync(file); wait += 1) {
    const child = spawn(process.execPath, [PROGRAM, 'backup', file, '-C', folder], { stdio: 'ignore' });
    const ended = new Promise((resolve) => child.once('exit', resolve));
    // Whenever the copy has begun, and a little later each time.
    while (child.exitCode === null && !existsSync(`${file}.part`)) await new Promise(setImmediate);
    for (let turn = 0; turn < wait * 3; turn += 1) await new Promise(setImmediate);
    child.kill('SIGKILL');
    await ended;
    if (!existsSync(file)) killed += 1;
  }
  expect(killed).toBeGreaterThan(0);
  const again = join(folder, 'again.db');
  expect((await vantfell(['backup', again, '-C', folder])).code).toBe(0);
  const copy = new Database(again);
  expect(count(copy, 'SELECT count(*) FROM parcels')).toBe(1_500);
  copy.close();
  expect(readdirSync(folder).filter((name) => name.startsWith('again'))).toEqual(['again.db']);
});

test('what it can not do, it says', async () => {
  const folder = folderWith(FILES);
  const file = join(folder, 'backup.db');
  const none = await vantfell(['backup', file, '-C', folder]);
  expect([none.code, none.err]).toEqual([3, expect.stringContaining('there is no database at')]);
  const server = await serving(folder);
  await server.stop();
  expect((await vantfell(['backup', file, '-C', folder])).err).toMatch(
    /^wrote .*backup\.db: the whole database, \d+ kB/,
  );
  const again = await vantfell(['backup', file, '-C', folder]);
  expect([again.code, again.err]).toEqual([3, expect.stringContaining('already')]);
  const nowhere = await vantfell(['backup', join(folder, 'none', 'b.db'), '-C', folder]);
  expect([nowhere.code, nowhere.err]).toEqual([3, expect.stringContaining('can not be written')]);
  writeFileSync(join(folder, 'post.db'), 'no database at all, but longer than a header of one would be '.repeat(20));
  const broken = await vantfell(['backup', join(folder, 'c.db'), '-C', folder]);
  expect(broken.code).not.toBe(0);
  expect(existsSync(join(folder, 'c.db')) || existsSync(join(folder, 'c.db.part'))).toBe(false);
  expect(broken.err).toContain('→');
});
