// MariaDB keeps every statement on tables by itself: a migration that is killed at any of them loses nothing.
import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import { statementsOf } from '../../src/core/migrations/ends-transaction.ts';
import { kinds, testDatabases } from '../kit/databases.ts';
import { Growing } from '../kit/migrating.ts';
import { otherProgram } from '../kit/other-program.ts';
import type { OtherProgram } from '../kit/other-program.ts';

const PROGRAM = fileURLToPath(new URL('../../dist/cli/main.js', import.meta.url));
const NAME = '0002-changes';
const FILE = `migrations/${NAME}/mariadb.forward.sql`;

const BEFORE = `stamps: false
key: serial
fields:
  name: { type: string, required: true, maxLength: 20, unique: true }
  beds: { type: integer, minimum: 1 }
  code: { type: string, maxLength: 9 }
  old: { type: string }
index: [[beds]]
`;
const AFTER = `stamps: false
key: serial
fields:
  title: { type: string, required: true, maxLength: 40, unique: true }
  beds: { type: integer, minimum: 2 }
  code: { type: integer }
  fee: { type: decimal, scale: 2, required: true }
index: [[beds, title]]
`;
const WARDEN = 'stamps: false\nfields:\n  name: { type: string }\nrelations:\n  hut: { to: hut }\n';
const ROWS = [
  ['Blue Hut', 13, '7'],
  ['Grey Hut', 12, '5'],
];

const database = testDatabases();

/** A project with a migration of many kinds of statements that has not run. */
async function drafted(name: string): Promise<Growing> {
  const project = new Growing(await database('mariadb', name), { hut: BEFORE });
  await project.done('migrate draft');
  await project.done('migrate run');
  await project.sql("INSERT INTO huts (name, beds, code) VALUES ('Grey Hut', 12, '5'), ('Blue Hut', 13, '7')");
  project.model('hut', AFTER);
  project.model('warden', WARDEN);
  await project.done('migrate draft --name changes --rename hut.name=hut.title --drop hut.old --fill hut.fee=2.50');
  return project;
}

/** Runs the migration, and kills the program and its connection while `isThere` says that it is at work. */
async function killedWhile(project: Growing, other: OtherProgram, isThere: string): Promise<void> {
  const child = spawn(process.execPath, [PROGRAM, 'migrate', 'run', '--yes', '-C', project.folder], {
    stdio: 'ignore',
  });
  const ended = new Promise((resolve) => child.once('exit', resolve));
  const at = `SELECT ID FROM information_schema.PROCESSLIST WHERE DB = database() AND ${isThere}`;
  let ids: unknown[][] = [];
  while (ids.length === 0) ids = await other.run(at);
  child.kill('SIGKILL');
  await ended;
  await other.run(`KILL ${String(ids[0]![0])}`).catch(() => undefined);
}

const all = async (project: Growing): Promise<unknown> =>
  (await project.rows('SELECT title, beds, code, fee FROM huts ORDER BY title')).map(([title, beds, code, fee]) => [
    title,
    beds,
    String(code),
    String(fee),
  ]);

if (kinds.includes('mariadb')) {
  describe('a migration on MariaDB', () => {
    test('killed before any of its statements, it goes on or is taken back, and nothing is lost', async () => {
      const project = await drafted('killed');
      const other = await otherProgram(project.address);
      const text = project.file(FILE);
      const statements = statementsOf(text).filter((one) => one.trim() !== '');
      expect(statements.length).toBeGreaterThan(12);
      const firstLoss = statements.findIndex(
        (one) => !one.includes('-- back:') && !/^\s*(--[^\n]*\n)*\s*SET/.test(one),
      );
      for (let at = 1; at < statements.length; at += 1) {
        const parts = [...statements.slice(0, at), '\nSELECT sleep(30)', ...statements.slice(at)];
        writeOver(project, parts.map((one) => `${one};`).join(''));
        await killedWhile(project, other, "STATE = 'User sleep'");
        writeOver(project, text);
        expect(await project.fails('migrate status')).toContain('half done');
        if (at === 1) expect(await project.fails('serve --port 0')).toContain('half done');
        if (at <= firstLoss && at % 2 === 1) {
          expect(await project.done('migrate undo')).toContain(`took back ${NAME}`);
          const rows = await project.rows('SELECT name, beds, code FROM huts ORDER BY name');
          expect(rows).toEqual(ROWS);
          const status = await project.done('migrate status');
          expect(status).toMatch(new RegExp(`${NAME} +waits`));
          expect(status).not.toContain('drifted');
          continue;
        }
        if (at > firstLoss) expect(await project.fails('migrate undo')).toContain('can not be taken back');
        expect(await project.done('migrate run --yes')).toContain(`ran ${NAME}`);
        expect(await project.done('migrate status')).not.toContain('drifted');
        expect(await all(project)).toEqual([
          ['Blue Hut', 13, '7', '2.50'],
          ['Grey Hut', 12, '5', '2.50'],
        ]);
        await project.done('migrate undo --last 1 --yes');
        expect(await project.rows('SELECT name, beds, code FROM huts ORDER BY name')).toEqual(ROWS);
      }
      await other.end();
    }, 900_000);

    test('a statement that the server did after its program was killed counts as done', async () => {
      const project = await drafted('done');
      const [other, reader] = [await otherProgram(project.address), await otherProgram(project.address)];
      // Who reads a table keeps it from being changed.
      await reader.run('START TRANSACTION');
      await reader.run('SELECT count(*) FROM huts');
      const waits = "STATE = 'Waiting for table metadata lock'";
      const child = spawn(process.execPath, [PROGRAM, 'migrate', 'run', '--yes', '-C', project.folder]);
      const ended = new Promise((resolve) => child.once('exit', resolve));
      const asked = `SELECT count(*) FROM information_schema.PROCESSLIST WHERE DB = database() AND ${waits}`;
      while (Number((await other.run(asked))[0]![0]) === 0);
      child.kill('SIGKILL');
      await ended;
      await reader.run('COMMIT');
      expect(await project.fails('migrate status')).toContain('half done');
      expect(await project.done('migrate run --yes')).toContain(`ran ${NAME}`);
      expect(await project.done('migrate status')).not.toContain('drifted');
      await Promise.all([other.end(), reader.end()]);
    });
  });
} else {
  test('there is no MariaDB on this machine, and it is not tried', () => expect(kinds).not.toContain('mariadb'));
}

function writeOver(project: Growing, text: string): void {
  project.file(FILE, () => text);
}
