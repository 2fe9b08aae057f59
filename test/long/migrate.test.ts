import { spawn } from 'node:child_process';
import { readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { beforeAll, describe, expect, test } from '@jest/globals';
import type { Store } from '../../src/core/store/contract.ts';
import { openStore } from '../../src/store/open.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';
import { folderWith, vantfell } from '../kit/program.ts';

const PROGRAM = fileURLToPath(new URL('../../dist/cli/main.js', import.meta.url));

const database = serverDatabases();

const HUT = 'model: hut\nfields:\n  name: { type: string, required: true, unique: true }\n  beds: { type: integer }\n';
const FIRST = '0001-first-tables';
const SECOND = '0002-add-hut-valley';

/** A project with two migrations, both run, and one hut. */
async function project(store: string): Promise<string> {
  const folder = folderWith({
    'vantfell.yaml': `service: { name: Steps }\nstore: ${store}\nstores: [sqlite, postgres, mariadb]\n`,
    'models/hut.yaml': HUT,
    'samples/huts.yaml': 'grey: { name: Grey Hut, beds: 12 }\n',
  });
  await done(folder, 'migrate', 'draft');
  writeFileSync(join(folder, 'models/hut.yaml'), `${HUT}  valley: { type: string, default: Askdal }\n`);
  await done(folder, 'migrate', 'draft');
  await done(folder, 'migrate', 'run', '--samples');
  return folder;
}

async function done(folder: string, ...words: string[]): Promise<string> {
  const ran = await vantfell([...words, '-C', folder], { cwd: folder });
  expect([ran.code, ran.err]).toEqual([0, ran.err]);
  return ran.out;
}

async function failing(folder: string, ...words: string[]): Promise<string> {
  const ran = await vantfell([...words, '-C', folder], { cwd: folder });
  expect([words.join(' '), ran.code]).toEqual([words.join(' '), 1]);
  return ran.out + ran.err;
}

let databases = 0;

describe.each(kinds)('%s', (kind) => {
  let folder: string;
  let address: string;
  beforeAll(async () => {
    address = (await database(kind, `steps${(databases += 1)}`)) ?? 'sqlite:./steps.db';
    folder = await project(address);
  });

  const withStore = async <Result>(work: (store: Store) => Promise<Result>): Promise<Result> => {
    const store = await openStore(kind === 'sqlite' ? `sqlite:${join(folder, 'steps.db')}` : address);
    try {
      return await work(store);
    } finally {
      await store.close();
    }
  };
  const byHand = (sql: string) => withStore((store) => store.alter((alteration) => alteration.script(sql)));
  /** An index belongs to its table on MariaDB. */
  const ofTable = kind === 'mariadb' ? ' ON huts' : '';
  const valleys = () => withStore((store) => store.all({ sql: 'SELECT name, valley FROM huts ORDER BY name' }, []));

  test('an edit by hand is told column by column, and the way out', async () => {
    await byHand(
      `ALTER TABLE huts ADD COLUMN note text; DROP INDEX huts_unique_name${ofTable}; CREATE INDEX mine ON huts (beds)`,
    );
    const told = await failing(folder, 'migrate', 'status');
    expect(told).toMatch(/huts\.note +should not be there: text/);
    expect(told).toMatch(/huts, index huts_unique_name +is missing; it should be (create unique index|unique key)/i);
    expect(told).toMatch(/huts, index mine +should not be there/);
    expect(told).toContain('take it back by hand');
    const unique = 'CREATE UNIQUE INDEX huts_unique_name ON huts (name)';
    await byHand(`ALTER TABLE huts DROP COLUMN note; DROP INDEX mine${ofTable}; ${unique}`);
    expect(await done(folder, 'migrate', 'status')).not.toContain('drifted');
    await byHand('ALTER TABLE huts RENAME TO cabins');
    expect(await failing(folder, 'migrate', 'status')).toMatch(/huts +is missing/);
    await byHand('ALTER TABLE cabins RENAME TO huts');
  });

  test('a migration that changed after it ran stands out, and nothing goes on over it', async () => {
    const file = join(folder, 'migrations', SECOND, `${kind}.forward.sql`);
    const text = readFileSync(file, 'utf8');
    writeFileSync(file, `${text}-- and more\n`);
    expect(await failing(folder, 'migrate', 'status')).toMatch(new RegExp(`${SECOND} +changed since it ran`));
    expect(await failing(folder, 'migrate', 'run')).toContain(`${SECOND} was changed after it ran`);
    expect(await failing(folder, 'migrate', 'undo', '--yes')).toContain('bring the file back');
    writeFileSync(file, text);
  });

  test('one goes on with a database that is ahead by what it need not know; one that is behind is told', async () => {
    const [there, away] = [join(folder, 'migrations', SECOND), join(folder, 'away')];
    renameSync(there, away);
    writeFileSync(join(folder, 'models/hut.yaml'), HUT);
    expect((await vantfell(['seed', '-C', folder])).err).toContain(`a newer version has run ${SECOND}`);
    expect(await failing(folder, 'migrate', 'status')).toMatch(new RegExp(`${SECOND} +ran by a newer version`));
    expect(await failing(folder, 'migrate', 'run')).toContain(`is ahead: it has run ${SECOND}`);
    expect(await failing(folder, 'migrate', 'undo', '--yes')).toContain('bring its folder back');
    renameSync(away, there);
    writeFileSync(join(folder, 'models/hut.yaml'), `${HUT}  valley: { type: string, default: Askdal }\n`);
    await done(folder, 'migrate', 'undo', '--last', '1', '--yes');
    expect(await failing(folder, 'serve', '--port', '0')).toContain(`is behind: ${SECOND} has not run`);
    expect(await failing(folder, 'seed')).toContain('vantfell migrate run');
    await done(folder, 'migrate', 'run');
    expect(await valleys()).toEqual([['Grey Hut', 'Askdal']]);
  });

  test('two that run at once run each migration once; one that fails leaves nothing of it', async () => {
    await done(folder, 'migrate', 'undo', '--all', '--yes');
    const both = await Promise.all([done(folder, 'migrate', 'run'), done(folder, 'migrate', 'run')]);
    expect(both.join('').match(/ran 000/g)).toHaveLength(2);
    const back = join(folder, 'migrations', SECOND, `${kind}.back.sql`);
    const text = readFileSync(back, 'utf8');
    writeFileSync(back, `${text}\nDROP TABLE nowhere;\n`);
    const told = await failing(folder, 'migrate', 'undo', '--last', '1', '--yes');
    expect(told).toContain(kind === 'mariadb' ? 'half taken back' : 'all of it still stands');
    if (kind === 'mariadb') {
      // The column has gone by then.
      writeFileSync(back, text);
      expect(await failing(folder, 'migrate', 'status')).toContain('half taken back');
      expect(await failing(folder, 'serve', '--port', '0')).toContain('vantfell migrate undo goes on with it');
      await done(folder, 'migrate', 'undo', '--last', '1', '--yes');
      await done(folder, 'migrate', 'run');
    }
    writeFileSync(back, `${text}\nCOMMIT;\n`);
    expect(await failing(folder, 'migrate', 'undo', '--last', '1', '--yes')).toContain('ends the transaction');
    writeFileSync(back, text);
    expect(await done(folder, 'migrate', 'status')).not.toContain('waits');
  });

  test('killed in the middle, it stands before or after, and goes on', async () => {
    await done(folder, 'migrate', 'undo', '--last', '1', '--yes');
    const file = join(folder, 'migrations', SECOND, `${kind}.forward.sql`);
    const text = readFileSync(file, 'utf8');
    const endless =
      kind === 'sqlite'
        ? 'CREATE TABLE numbers AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT i FROM n'
        : kind === 'postgres'
          ? 'SELECT pg_sleep(600)'
          : // The server goes on with it, and keeps the turn until it is through.
            'SELECT sleep(3)';
    writeFileSync(file, `${text}\n${endless};\n`);
    const child = spawn(process.execPath, [PROGRAM, 'migrate', 'run', '-C', folder], { stdio: 'ignore' });
    const ended = new Promise((resolve) => child.once('exit', resolve));
    await busy();
    child.kill('SIGKILL');
    await ended;
    writeFileSync(file, text);
    const status = await vantfell(['migrate', 'status', '-C', folder]);
    const state = kind === 'mariadb' ? 'half done: \\d of \\d statements stand' : 'waits';
    expect(status.out).toMatch(new RegExp(`${FIRST} +ran[^]*${SECOND} +${state}`));
    await done(folder, 'migrate', 'run');
    expect(await done(folder, 'migrate', 'status')).not.toContain('waits');
  });

  /** Resolves when another program works on the tables. */
  async function busy(): Promise<void> {
    if (kind === 'sqlite') {
      const wal = join(folder, 'steps.db-wal');
      const size = () => {
        try {
          return readFileSync(wal).length;
        } catch {
          return 0;
        }
      };
      const before = size();
      // The endless table is written to the log long before it is kept.
      while (size() < before + 1_000_000) await new Promise((resolve) => setImmediate(resolve));
      return;
    }
    const asleep = {
      sql:
        kind === 'postgres'
          ? "SELECT count(*) FROM pg_stat_activity WHERE wait_event = 'PgSleep'"
          : "SELECT count(*) FROM information_schema.PROCESSLIST WHERE STATE = 'User sleep' AND DB = database()",
    };
    await withStore(async (store) => {
      while (Number((await store.first(asleep, []))![0]) === 0) await new Promise((resolve) => setImmediate(resolve));
    });
  }

  test('starting over asks first, and brings the samples', async () => {
    const asked = await vantfell(['migrate', 'run', '--from-empty', '-C', folder]);
    expect([asked.code, asked.err]).toEqual([2, expect.stringContaining('every record in them')]);
    expect(await valleys()).toEqual([]);
    const told = await done(folder, 'migrate', 'run', '--from-empty', '--samples', '--yes');
    expect(told).toContain(`ran ${SECOND}`);
    expect(await valleys()).toEqual([['Grey Hut', 'Askdal']]);
  });
});

test('what others have built on a table outlives its making anew', async () => {
  const folder = await project('sqlite:./steps.db');
  const store = await openStore(`sqlite:${join(folder, 'steps.db')}`);
  await store.alter((alteration) =>
    alteration.script(
      'CREATE VIEW small AS SELECT name FROM huts WHERE beds < 20; CREATE INDEX mine ON huts (beds);' +
        " CREATE TRIGGER loud AFTER UPDATE ON huts BEGIN SELECT 'changed'; END",
    ),
  );
  writeFileSync(
    join(folder, 'models/hut.yaml'),
    `${HUT.replace('integer', 'decimal')}  valley: { type: string, default: Askdal }\n`,
  );
  await done(folder, 'migrate', 'draft');
  await done(folder, 'migrate', 'run');
  const others = await store.all({ sql: "SELECT name FROM sqlite_schema WHERE name IN ('small', 'mine', 'loud')" }, []);
  expect(others.flat().sort()).toEqual(['loud', 'mine', 'small']);
  expect(await store.all({ sql: 'SELECT name, beds FROM huts' }, [])).toEqual([['Grey Hut', 1200]]);
  await store.close();
});

describe('bad input', () => {
  test.each([
    [['migrate', 'draft', '--rename', 'hut.beds'], 'has no ='],
    [['migrate', 'draft', '--rename', 'hut.bed=hut.places'], 'did you mean hut.beds?'],
    [['migrate', 'draft', '--fill', 'hut.beds=many'], 'must be a whole number'],
    [['migrate', 'draft', '--name', 'Big Change'], 'is no name'],
    [['migrate', 'run', '--fill', 'hut.beds=1'], '--fill goes with migrate draft'],
    [['migrate', 'undo', '--last', '0'], 'above 0'],
    [['migrate', 'redo'], 'known: draft, run, undo, status'],
  ])('%j', async (words, told) => {
    const folder = folderWith({
      'vantfell.yaml': 'service: { name: Steps }\n',
      'models/hut.yaml': HUT,
    });
    await done(folder, 'migrate', 'draft');
    const ran = await vantfell([...words, '-C', folder]);
    expect([ran.code, ran.err]).toEqual([2, expect.stringContaining(told)]);
  });

  test('migrations that do not go together are told as that', async () => {
    const folder = await project('sqlite:./steps.db');
    rmSync(join(folder, 'migrations', SECOND, 'sqlite.back.sql'));
    expect(await failing(folder, 'migrate', 'status')).toContain('has no sqlite.back.sql');
    renameSync(join(folder, 'migrations', SECOND), join(folder, 'migrations', '0001-other'));
    expect(await failing(folder, 'serve')).toContain('has no sqlite.back.sql');
    writeFileSync(join(folder, 'migrations', '0001-other', 'sqlite.back.sql'), '');
    expect(await failing(folder, 'serve')).toContain('have the same number');
    writeFileSync(join(folder, 'migrations', '0001-other', 'after.json'), '{');
    expect(await failing(folder, 'serve')).toContain('is no snapshot of tables');
  });

  test('another key is refused, whatever else changed', async () => {
    const folder = await project('sqlite:./steps.db');
    writeFileSync(join(folder, 'models/hut.yaml'), `${HUT}key: serial\n`);
    expect(await failing(folder, 'migrate', 'draft', '--drop', 'hut.valley')).toContain('hut has another key');
  });
});
