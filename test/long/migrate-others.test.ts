import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import pg from 'pg';
import { Growing } from '../kit/migrating.ts';
import { kinds, testDatabases } from '../kit/databases.ts';
import { folderWith, vantfell } from '../kit/program.ts';

const database = testDatabases();
let databases = 0;

const HUT = 'stamps: false\nkey: serial\nfields:\n  name: { type: string }\n  beds: { type: integer }\n';
const SAMPLES = { 'samples/huts.yaml': 'grey: { name: Grey Hut, beds: 12 }\n' };

describe.each(kinds)('%s', (kind) => {
  const grown = async (models: Record<string, string>, files: Record<string, string> = {}): Promise<Growing> =>
    new Growing(kind === 'sqlite' ? 'sqlite:./o.db' : await database(kind, `o${(databases += 1)}`), models, files);

  test('a table that the tool did not make is not dropped, whatever it is called', async () => {
    const project = await grown({ hut: HUT });
    await project.sql("CREATE TABLE huts (theirs text); INSERT INTO huts VALUES ('kept')");
    for (const drafted of [false, true]) {
      if (drafted) await project.done('migrate draft');
      const told = await project.fails('migrate run --from-empty --yes');
      expect(told).toContain('has a table huts already, and this tool did not make it');
      expect(await project.rows('SELECT theirs FROM huts')).toEqual([['kept']]);
    }
    // Beside its own, as well.
    await project.sql('ALTER TABLE huts RENAME TO others');
    await project.done('migrate run');
    await project.done('migrate run --from-empty --yes');
    expect(await project.rows('SELECT theirs FROM others')).toEqual([['kept']]);
    expect(await project.rows('SELECT count(*) FROM huts')).toEqual([[0]]);
    rmSync(join(project.folder, 'migrations'), { recursive: true });
    expect(await project.fails('migrate run --from-empty --yes')).toContain('nobody can tell which tables');
    expect(await project.rows('SELECT count(*) FROM huts')).toEqual([[0]]);
  });

  test('views and triggers of others that a change would break stop it, with their names', async () => {
    const project = await grown({ hut: HUT }, SAMPLES);
    await project.done('seed');
    await project.done('migrate draft');
    await project.sql('CREATE VIEW small AS SELECT name, beds FROM huts WHERE beds < 20');
    project.model('hut', HUT.replace('  beds: { type: integer }\n', ''));
    await project.done('migrate draft');
    const told = await project.fails('migrate run --yes');
    expect(told).toContain('small');
    expect(await project.rows('SELECT beds FROM small')).toEqual([[12]]);
    await project.sql('DROP VIEW small');
    await project.done('migrate run');
  });

  test('an END of its own is found before anything is done', async () => {
    const project = await grown({ hut: HUT }, SAMPLES);
    await project.done('seed');
    await project.done('migrate draft');
    project.model('hut', `${HUT}  valley: { type: string }\n`);
    await project.done('migrate draft');
    project.file(`migrations/0002-add-hut-valley/${kind}.forward.sql`, (text) => `${text}END;\nDROP TABLE nowhere;\n`);
    expect(await project.fails('migrate run')).toContain('holds END, which ends the transaction');
    expect(await project.done('migrate status')).toMatch(/0002-add-hut-valley +waits/);
    expect(await project.done('migrate status')).not.toContain('drifted');
  });

  test('lines that end otherwise are no change, and three at once take back what is theirs', async () => {
    const project = await grown({ hut: HUT }, SAMPLES);
    await project.done('seed');
    await project.done('migrate draft');
    for (const name of ['a', 'b', 'c']) {
      project.model(
        'hut',
        `${project.file('models/hut.yaml').slice('model: hut\n'.length)}  ${name}: { type: string }\n`,
      );
      await project.done('migrate draft');
      await project.done('migrate run');
    }
    const file = `migrations/0002-add-hut-a/${kind}.forward.sql`;
    const text = project.file(file, (old) => `\ufeff${old.replaceAll('\n', '\r\n')}`);
    expect(await project.done('migrate status')).not.toContain('changed');
    writeFileSync(join(project.folder, file), text);
    const told = await Promise.all([1, 2, 3].map(() => project.run('migrate undo --last 1 --yes')));
    const names = told.flatMap(({ out }) => [...out.matchAll(/took back (\S+)/g)].map(([, name]) => name));
    expect(names).toEqual([...new Set(names)]);
    for (const { err } of told) expect(err).not.toContain('defect');
    const waiting = (await project.done('migrate status')).match(/ waits /g) ?? [];
    expect(waiting).toHaveLength(names.length);
  });

  test('what is remembered by names goes along with them, and is not told to others', async () => {
    const project = await grown(
      {
        member:
          'stamps: false\nfields: { name: { type: string, required: true, unique: true ' +
          '}, pass: { type: secret } }\nmay: { read: signed-in }\n',
        hut:
          'journal: true\nstamps: false\nfields:\n  name: { type: string }\n' +
          '  fee: { type: integer }\nmay: { read: anybody, create: anybody, update: ' +
          'anybody, delete: anybody, journal: anybody, fields: { fee: signed-in } }\n',
      },
      {
        'vantfell.yaml': '',
        'samples/huts.yaml': 'grey: { name: Grey Hut, fee: 12 }\nblue: { name: Blue Hut, fee: 13 }\n',
        'samples/members.yaml': 'ines: { name: Ines, pass: a long word of her own }\n',
      },
    );
    const address = kind === 'sqlite' ? 'sqlite:./o.db' : project.address;
    writeFileSync(
      join(project.folder, 'vantfell.yaml'),
      `service: { name: Kept }\nstore: ${address}\nidentity: { model: member, login: name, secret: pass }\n`,
    );
    await project.done('seed');
    await project.done('migrate draft');
    project.file('models/hut.yaml', (text) => text.replaceAll('fee', 'price'));
    await project.done('migrate draft --rename hut.fee=hut.price --name price');
    await project.done('migrate run');
    const journal = async (of: string): Promise<string> => project.done(`send GET /${of}/journal`);
    expect(await journal('huts')).toContain('Grey Hut');
    expect(await journal('huts')).not.toMatch(/"fee"|"price": \{"|": 1[23]\}/);
    expect(await project.done('send GET /huts/journal --as member/ines')).toMatch(/"price": \{"after": 1[23]\}/);
    // A model with another name keeps its journal and its samples.
    project.file('models/hut.yaml', (text) => text.replace('model: hut', 'model: cabin'));
    await project.done('migrate draft --rename hut=cabin --name cabins');
    await project.done('migrate run');
    expect(await journal('cabins')).toContain('Grey Hut');
    writeFileSync(
      join(project.folder, 'samples/cabins.yaml'),
      project.file('samples/huts.yaml').replaceAll('fee', 'price'),
    );
    rmSync(join(project.folder, 'samples/huts.yaml'));
    await project.done('seed');
    expect(await project.rows('SELECT count(*) FROM cabins')).toEqual([[2]]);
    // A field that goes takes its values out of sight, and so does a model; another one of that name inherits nothing.
    project.file('models/hut.yaml', (text) =>
      text.replace('  price: { type: integer }\n', '').replace(/, fields: .* \}\n/, ' }\n'),
    );
    await project.done('migrate draft --drop cabin.price --name free');
    await project.done('migrate run');
    expect(await project.done('send GET /cabins/journal --as member/ines')).not.toMatch(/"price"|": 1[23]\}/);
    const cabin = project.file('models/hut.yaml');
    rmSync(join(project.folder, 'models/hut.yaml'));
    rmSync(join(project.folder, 'samples/cabins.yaml'));
    await project.done('migrate draft --drop cabin --name none');
    await project.done('migrate run');
    writeFileSync(join(project.folder, 'models/hut.yaml'), cabin);
    await project.done('migrate draft --name again');
    await project.done('migrate run');
    expect(await journal('cabins')).not.toContain('Grey');
    await project.done('migrate undo --last 3 --yes');
    expect(await project.rows("SELECT count(*) FROM vantfell_journal WHERE model = 'cabin'")).toEqual([[2]]);
  });
});

test('triggers on the views of others, and those that mention a table, outlive its making anew', async () => {
  const project = new Growing('sqlite:./o.db', { hut: HUT }, SAMPLES);
  await project.done('seed');
  await project.done('migrate draft');
  await project.sql(
    'CREATE VIEW small AS SELECT id, name AS called FROM huts; CREATE TABLE others (a);' +
      ' CREATE TRIGGER instead INSTEAD OF INSERT ON small BEGIN INSERT INTO huts (name) VALUES (new.called); END;' +
      ' CREATE TRIGGER elsewhere AFTER INSERT ON others BEGIN UPDATE huts SET beds = 1; END',
  );
  project.model('hut', HUT.replace('integer', 'decimal'));
  await project.done('migrate draft');
  await project.done('migrate run');
  await project.sql("INSERT INTO small (called) VALUES ('New'); INSERT INTO others VALUES (1)");
  expect(await project.rows('SELECT name, beds FROM huts ORDER BY id')).toEqual([
    ['Grey Hut', 1],
    ['New', 1],
  ]);
  // What would be broken stops it, by its name.
  await project.sql('CREATE INDEX theirs ON huts (beds) WHERE beds > 1');
  project.model('hut', HUT.replace('  beds: { type: integer }\n', '').replace('string', 'string, maxLength: 60'));
  await project.done('migrate draft');
  expect(await project.fails('migrate run')).toMatch(/the index theirs on huts: .*beds/);
  await project.sql('DROP INDEX theirs');
  expect(await project.fails('migrate run')).toContain('trigger elsewhere');
  rmSync(join(project.folder, 'migrations/0003-change-hut-name-and-more'), { recursive: true });
  // New names go into them.
  project.model('hut', HUT.replace('integer', 'decimal').replace('name:', 'title:'));
  await project.done('migrate draft --rename hut.name=hut.title');
  await project.done('migrate run');
  expect(await project.rows('SELECT count(*) FROM small')).toEqual([[2]]);
});

test('whoever stands in the way of a migration is named, and others are let by', async () => {
  const project = new Growing(await database('postgres', 'waits'), { hut: HUT }, SAMPLES);
  await project.done('seed');
  await project.done('migrate draft');
  project.model('hut', `${HUT}  valley: { type: string }\n`);
  await project.done('migrate draft');
  const reader = new pg.Client({ connectionString: project.address, application_name: 'report' });
  await reader.connect();
  await reader.query('BEGIN');
  await reader.query('SELECT * FROM huts');
  const running = project.run('migrate run');
  const other = new pg.Client({ connectionString: project.address });
  await other.connect();
  const waits = "SELECT count(*)::int AS n FROM pg_locks WHERE NOT granted AND relation = 'huts'::regclass";
  while ((await other.query<{ n: number }>(waits)).rows[0]!.n === 0)
    await new Promise((resolve) => setImmediate(resolve));
  // It stands in the line for the table; whoever reads waits behind it, and not for long.
  const begun = performance.now();
  await other.query('SELECT * FROM huts');
  expect(performance.now() - begun).toBeLessThan(5_000);
  await reader.query('COMMIT');
  const ran = await running;
  expect([ran.code, ran.out]).toEqual([0, expect.stringContaining('ran 0002-add-hut-valley')]);
  expect(ran.err).toMatch(
    /it waits for report of tests at 127\.0\.0\.1 \(process \d+, idle in transaction: SELECT \* FROM huts\)/,
  );
  await Promise.all([reader.end(), other.end()]);
});

test('a migration and a transaction that wait for each other both come to an end', async () => {
  const models = (type: string): Record<string, string> => ({
    hut: HUT.replace('integer', type),
    stay: `${HUT.replace('integer', type)}relations: { hut: { to: hut } }\n`,
  });
  const project = new Growing(await database('postgres', 'knot'), models('integer'), SAMPLES);
  await project.done('seed');
  await project.done('migrate draft');
  for (const [name, text] of Object.entries(models('number'))) project.model(name, text);
  await project.done('migrate draft');
  const [one, other] = [1, 2].map(() => new pg.Client({ connectionString: project.address })) as [pg.Client, pg.Client];
  await Promise.all([one.connect(), other.connect()]);
  await one.query('BEGIN; LOCK TABLE stays IN ROW EXCLUSIVE MODE');
  const running = project.run('migrate run');
  const waits = "SELECT count(*)::int AS n FROM pg_locks WHERE NOT granted AND relation = 'stays'::regclass";
  while ((await other.query<{ n: number }>(waits)).rows[0]!.n === 0)
    await new Promise((resolve) => setImmediate(resolve));
  // By now it has the huts for itself, and waits for the stays.
  await one.query('SELECT * FROM huts').catch((error: unknown) => expect(error).toMatchObject({ code: '40P01' }));
  await one.query('ROLLBACK');
  const ran = await running;
  expect([ran.code, ran.out, ran.err]).toEqual([
    0,
    expect.stringContaining('ran 0002-'),
    expect.not.stringContaining('defect'),
  ]);
  await Promise.all([one.end(), other.end()]);
});

test('a server that takes no more connections is told as that', async () => {
  const project = new Growing(await database('postgres', 'crowd'), { hut: HUT });
  await project.sql('DROP ROLE IF EXISTS crowded; CREATE ROLE crowded LOGIN CONNECTION LIMIT 0');
  const address = project.address.replace(/\/\/[^@/]*@?/, '//crowded@');
  project.file('vantfell.yaml', (text) => text.replace(project.address, address));
  const told = await project.fails('migrate status', 3);
  expect(told).toContain('it has as many connections as it takes');
  expect(told).not.toContain('start PostgreSQL');
});

describe('files', () => {
  test.each<[string, string, Buffer, string]>([
    [
      'Latin-1 in CSV',
      'samples/huts.csv',
      Buffer.from('name,beds\nGr\xe5 hytte,3\n', 'latin1'),
      'samples/huts.csv:2:3 holds a byte that is no UTF-8 (0xE5)',
    ],
    [
      'Latin-1 in YAML',
      'samples/huts.yaml',
      Buffer.from('a: { name: "Gr\xe5" }\n', 'latin1'),
      'samples/huts.yaml:1:15 holds a byte',
    ],
    [
      'Latin-1 in JSON lines',
      'samples/huts.ndjson',
      Buffer.from('{"name":"A"}\n{"name":"Gr\xe5"}\n', 'latin1'),
      'samples/huts.ndjson:2:12 holds a byte',
    ],
    [
      'half a letter',
      'samples/huts.csv',
      Buffer.concat([Buffer.from('name\nGr'), Buffer.from([0xc3])]),
      'samples/huts.csv:2:3 holds a byte',
    ],
    ['UTF-16', 'samples/huts.csv', Buffer.from('\ufeffname\nA\n', 'utf16le'), 'samples/huts.csv is UTF-16'],
    [
      'a column that stands twice',
      'samples/huts.csv',
      Buffer.from('name,beds,name\nA,1,B\n'),
      'the column name stands here twice',
    ],
    [
      'a model in Latin-1',
      'models/cabin.yaml',
      Buffer.from('model: cabin\nfields: { n: { enum: [\xe5] } }\n', 'latin1'),
      'models/cabin.yaml:2:23 holds a byte',
    ],
  ])('%s', async (_what, file, bytes, told) => {
    const project = new Growing('sqlite:./f.db', { hut: HUT }, { 'samples/.keep': '' });
    writeFileSync(join(project.folder, file), bytes);
    expect(await project.fails('seed')).toContain(told);
  });

  test('byte order marks are taken in every format, and in long files', async () => {
    const project = new Growing('sqlite:./f.db', { hut: HUT }, { 'samples/.keep': '' });
    const long = 'x'.repeat(5_000);
    const forms = {
      csv: 'name\nGrå\n',
      yaml: 'a: { name: Grå }\n',
      json: '{ "a": { "name": "Grå" } }',
      ndjson: `{"name":"Grå"}\n${`{"name":"${long}"}\n`.repeat(900)}`,
    };
    for (const [form, text] of Object.entries(forms)) {
      writeFileSync(join(project.folder, `samples/huts.${form}`), `\ufeff${text}`);
      await project.done('seed --empty-first --yes');
      expect(await project.rows("SELECT count(*) FROM huts WHERE name = 'Grå'")).toEqual([[1]]);
      rmSync(join(project.folder, `samples/huts.${form}`));
    }
    const file = join(project.folder, 'samples/huts.ndjson');
    writeFileSync(file, Buffer.concat([Buffer.from(forms.ndjson), Buffer.from('{"name":"Gr\xe5"}\n', 'latin1')]));
    expect(await project.fails('seed')).toContain('samples/huts.ndjson:902:12 holds a byte');
    expect(await project.rows("SELECT count(*) FROM huts WHERE name = 'Grå'")).toEqual([[1]]);
  });

  test('a key that anybody guesses, and a file in the place of the folder, are told at the start', async () => {
    const project = new Growing('sqlite:./f.db', { hut: HUT });
    await project.done('send GET /huts');
    for (const key of ['', 'k']) {
      writeFileSync(join(project.folder, '.vantfell/key'), `${key}\n`);
      expect(await project.fails('serve --port 0', 3)).toContain('and a key has 32 or more');
    }
    rmSync(join(project.folder, '.vantfell'), { recursive: true });
    writeFileSync(join(project.folder, '.vantfell'), '');
    expect(await project.fails('serve --port 0', 3)).toContain('.vantfell is a file');
  });

  test('a new project keeps the ends of its lines; emptying says that the journal goes', async () => {
    const folder = folderWith();
    await vantfell(['new', join(folder, 'tea')]);
    expect(readFileSync(join(folder, 'tea/.gitattributes'), 'utf8')).toContain('migrations/** text eol=lf');
    const asked = await vantfell(['seed', '--empty-first', '-C', join(folder, 'tea')]);
    expect(asked.err).toContain('and the journal of all');
  });
});
