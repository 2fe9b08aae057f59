import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { Growing } from '../kit/migrating.ts';
import { kinds, testDatabases } from '../kit/databases.ts';
import { ask, serving } from '../kit/program.ts';

const database = testDatabases();
let databases = 0;

const field = (declared: string): string =>
  `stamps: false\nkey: serial\nfields:\n  name: { type: string }\n  v: ${declared}\n`;

describe.each(kinds)('%s', (kind) => {
  const grown = async (models: Record<string, string>, files: Record<string, string> = {}): Promise<Growing> =>
    new Growing(kind === 'sqlite' ? 'sqlite:./v.db' : await database(kind, `v${(databases += 1)}`), models, files);

  test('a young project stops at values that another type does not have, counts them and shows one', async () => {
    const project = await grown(
      { hut: field('{ type: string }') },
      {
        'samples/huts.yaml': 'a: { v: "12 " }\nb: { v: "12.5" }\nc: { v: "0047" }\nd: { v: "99999999999999999999" }\n',
      },
    );
    await project.done('seed');
    project.model('hut', field('{ type: decimal, scale: 2 }'));
    const told = await project.fails('send GET /huts');
    expect(told).toContain(
      'hut.v: string becomes decimal with 2 digits after the point; 3 rows have a value ' +
        'that can\'t become decimal unchanged (as "0047"), which stops it',
    );
    expect(told).toContain('--fill hut.v=…');
    expect(await project.rows('SELECT v FROM huts ORDER BY id')).toEqual([
      ['12 '],
      ['12.5'],
      ['0047'],
      ['99999999999999999999'],
    ]);
    await project.sql("DELETE FROM huts WHERE v <> '12.5'");
    expect(await project.done('send GET /huts')).toContain('"v": "12.50"');
  });

  test('what a fill takes the place of is told, before and at the undo', async () => {
    const project = await grown(
      { hut: field('{ type: string }') },
      { 'samples/huts.yaml': 'a: { v: "2023-02-30" }\nb: { v: "2024-02-29" }\n' },
    );
    await project.done('seed');
    await project.done('migrate draft');
    project.model('hut', field('{ type: date }'));
    expect(await project.done('migrate draft --fill hut.v=2023-03-01')).toContain(
      'rows that can\'t stay as they are get "2023-03-01"; 1 row has a ' +
        'value that can\'t become date unchanged ("2023-02-30")',
    );
    await project.done('migrate run');
    expect(await project.done('send GET /huts')).toMatch(/"v": "2023-03-01"[^]*"v": "2024-02-29"/);
    expect(await project.done('migrate undo')).toContain('hut.v: what got a fill does not come back as it was');
    expect(await project.rows('SELECT v FROM huts ORDER BY id')).toEqual([['2023-03-01'], ['2024-02-29']]);
  });

  test('a scale with no room left is counted', async () => {
    const project = await grown(
      { hut: field('{ type: decimal, scale: 2 }') },
      { 'samples/huts.yaml': 'a: { v: "9999999999999999.99" }\nb: { v: "1.25" }\n' },
    );
    await project.done('seed');
    await project.done('migrate draft');
    project.model('hut', field('{ type: decimal, scale: 4 }'));
    const told = '1 row has a value that has no room in 18 digits, 4 of them after the point (9999999999999999.99)';
    expect(await project.done('migrate draft')).toContain(told);
    expect(await project.fails('migrate run')).toContain(told);
  });

  test('a move converts as a change does', async () => {
    const price = 'stamps: false\nkey: serial\nfields: { name: { type: string } }\n';
    const project = await grown(
      { hut: field('{ type: decimal, scale: 2 }'), fee: `${price}relations: { hut: { to: hut } }\n` },
      { 'samples/huts.yaml': 'a: { v: "12.30" }\n', 'samples/fees.yaml': 'a: { hut: a }\n' },
    );
    await project.done('seed');
    await project.done('migrate draft');
    project.model('hut', price);
    const fee = (type: string): string =>
      `${price.replace('string }', `string }, v: ${type}`)}relations: { hut: { to: hut } }\n`;
    project.model('fee', fee('{ type: decimal, scale: 4 }'));
    await project.done('migrate draft --rename hut.v=fee.v');
    await project.done('migrate run');
    expect(await project.done('send GET /fees')).toContain('"v": "12.3000"');
    await project.done('migrate undo');
    expect(await project.rows('SELECT count(*) FROM huts WHERE v IS NOT NULL')).toEqual([[1]]);
    project.model('fee', fee('{ type: json }'));
    rmSync(join(project.folder, 'migrations/0002-move-hut-v'), { recursive: true });
    expect(await project.fails('migrate draft --rename hut.v=fee.v')).toContain('hut.v can not become fee.v');
  });

  test('fields and models change places, and come back', async () => {
    const abc = (a: string, b: string, c: string): string =>
      `stamps: false\nfields:\n  ${[a, b, c].map((name) => `${name}: { type: string }`).join('\n  ')}\n`;
    const member = 'stamps: false\nfields: { nick: { type: string } }\nrelations: { hut: { to: hut } }\n';
    const project = await grown(
      { hut: abc('a', 'b', 'c'), member },
      { 'samples/huts.yaml': 'one: { a: A, b: B, c: C }\n', 'samples/members.yaml': 'ines: { nick: I, hut: one }\n' },
    );
    await project.done('seed');
    await project.done('migrate draft');
    await project.done('migrate draft --rename hut.a=hut.b --rename hut.b=hut.c --rename hut.c=hut.a --name round');
    expect(await project.done('migrate run')).toContain('ran 0002-round');
    expect(await project.rows('SELECT a, b, c FROM huts')).toEqual([['C', 'A', 'B']]);
    project.model('member', abc('a', 'b', 'c'));
    project.model('hut', member.replaceAll('hut', 'member').replace('member: { to', 'member: { to'));
    await project.done(
      'migrate draft --rename hut=member --rename member=hut --rename member.hut=hut.member --name swap',
    );
    await project.done('migrate run');
    expect(await project.rows('SELECT nick FROM huts')).toEqual([['I']]);
    expect(await project.rows('SELECT a, b, c FROM members')).toEqual([['C', 'A', 'B']]);
    await project.done('migrate undo --all --yes');
    await project.done('migrate run');
    expect(await project.done('migrate status')).not.toContain('drifted');
    project.model('hut', member.replaceAll('hut', 'member'));
    expect(await project.fails('migrate draft --rename hut.nick=hut.nick --rename hut.nick=hut.id', 2)).toContain(
      'another new name already',
    );
  });

  test('a relation to records with another kind of key counts those that lead nowhere', async () => {
    const shop = 'stamps: false\nfields: { code: { type: string, required: true } }\nkey: code\n';
    const note = (to: string): string =>
      `stamps: false\nfields: { t: { type: string } }\nrelations: { at: { to: ${to} } }\n`;
    const project = await grown(
      { hut: 'stamps: false\n', shop, note: note('hut') },
      { 'samples/huts.yaml': 'one: {}\n', 'samples/notes.yaml': 'n: { at: one }\nm: {}\n' },
    );
    await project.done('seed');
    await project.done('migrate draft');
    project.model('note', note('shop'));
    const told = await project.run('migrate draft');
    expect([told.code, told.out]).toEqual([
      0,
      expect.stringMatching(/refers to shops now; 1 row refers to a record that is not there/),
    ]);
    expect(told.err).not.toContain('--fill');
    expect(await project.fails('migrate run')).toContain('1 row refers to a record that is not there');
  });

  test('an old service answers no more once the tables have moved on; one that watches loads them anew', async () => {
    const project = await grown(
      { hut: field('{ type: decimal, scale: 2 }') },
      { 'samples/huts.yaml': 'a: { v: "12.30" }\n' },
    );
    await project.done('seed');
    await project.done('migrate draft');
    const [old, watching] = await Promise.all([serving(project.folder), serving(project.folder, ['--watch'])]);
    const list = async (url: string): Promise<[number, string]> => {
      // The document is another one afterwards.
      const answer = await fetch(`${url}/huts`);
      return [answer.status, await answer.text()];
    };
    // Often enough for their statements to be kept.
    for (let at = 0; at < 6; at += 1) expect((await list(old.url))[1]).toContain('"12.30"');
    expect((await list(watching.url))[0]).toBe(200);
    project.model('hut', field('{ type: decimal, scale: 4 }'));
    await project.done('migrate draft');
    await project.done('migrate run');
    expect(await list(old.url)).toEqual([503, expect.stringContaining('has to start again')]);
    const create = await ask(`${old.url}/huts`, 'POST', { v: '1.25' });
    expect([create.status, create.headers.get('retry-after')]).toEqual([503, expect.any(String)]);
    expect((await ask(`${old.url}/health/ready`)).status).toBe(503);
    expect((await ask(`${old.url}/health/live`)).status).toBe(200);
    expect(await project.rows('SELECT count(*) FROM huts')).toEqual([[1]]);
    for (;;) {
      const [status, text] = await list(watching.url);
      expect([200, 503]).toContain(status);
      if (status === 503) {
        await watching.more();
        continue;
      }
      expect(text).toContain('"12.3000"');
      break;
    }
    expect(old.said()).toContain('until this is started again, it answers 503');
  });

  test('under load, each write that was acknowledged is there, and says what it said', async () => {
    const project = await grown({ hut: field('{ type: decimal, scale: 2 }') });
    await project.done('migrate draft');
    await project.done('migrate run');
    const old = await serving(project.folder);
    let [made, refused, isOver] = [0, 0, false];
    const write = async (): Promise<void> => {
      while (!isOver) {
        const body = JSON.stringify({ v: '12.30' });
        const answer = await fetch(`${old.url}/huts`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body,
        });
        const text = await answer.text();
        if (answer.status === 201) {
          expect(text).toContain('"v":"12.30"');
          made += 1;
        } else {
          expect(answer.status).toBe(503);
          refused += 1;
        }
        const list = await (await fetch(`${old.url}/huts?limit=3`)).text();
        expect(list).not.toMatch(/"v":"(?!12\.30")/);
      }
    };
    const writers = [1, 2, 3, 4].map(write);
    project.model('hut', field('{ type: decimal, scale: 4 }'));
    await project.done('migrate draft');
    await project.done('migrate run');
    const before = refused;
    while (refused < before + 20) await new Promise((resolve) => setImmediate(resolve));
    isOver = true;
    await Promise.all(writers);
    expect(made).toBeGreaterThan(50);
    expect(await project.rows('SELECT count(*) FROM huts')).toEqual([[made]]);
    const wanted = kind === 'sqlite' ? '123000' : '12.3000';
    expect((await project.rows('SELECT DISTINCT v FROM huts')).map(String)).toEqual([wanted]);
  });

  test('several are taken back at once, whatever became of a type on the way', async () => {
    const project = await grown({ hut: field('{ type: number }') }, { 'samples/huts.yaml': 'a: { v: 12 }\n' });
    await project.done('seed');
    await project.done('migrate draft');
    for (const type of ['string', 'integer', 'decimal, scale: 1']) {
      project.model('hut', field(`{ type: ${type} }`));
      await project.done('migrate draft');
      await project.done('migrate run');
    }
    project.model('hut', field('{ type: boolean }'));
    expect(await project.fails('migrate draft --rename hut.v=hut.v', 2)).toContain('it has that name already');
    await project.done('migrate draft --drop hut.v --name gone');
    await project.done('migrate run');
    expect(await project.done('migrate undo --last 4')).toContain('hut.v: comes back without its values');
    expect(await project.done('migrate status')).not.toContain('drifted');
  });

  test('what is inside of values gets its name in words that can not be misheard', async () => {
    const place = (inner: string): string => field(`{ type: object, properties: { ${inner} } }`);
    const project = await grown(
      { hut: place('street: { type: string }, zip: { type: string }') },
      { 'samples/huts.yaml': 'a: { v: { street: A, zip: "1" } }\n' },
    );
    await project.done('seed');
    await project.done('migrate draft');
    project.model('hut', place('road: { type: string }'));
    expect(await project.fails('migrate draft', 2)).toContain('hut.v.street is gone and hut.v.road is new');
    expect(await project.fails('migrate draft --rename hut.v.street=hut.road', 2)).toContain('there is no hut.road');
    expect(await project.fails('migrate draft --rename hut.v.street=hut.name', 2)).toContain('where it stands');
    expect(await project.fails('migrate draft --rename hut.v.stret=hut.v.road', 2)).toContain(
      'did you mean hut.v.street',
    );
    expect(await project.fails('migrate draft --fill hut.v.road=x', 2)).toContain('only whole fields');
    expect(
      await project.fails('migrate draft --fill hut.name=x --rename hut.v.street=hut.v.road --drop hut.v.zip', 2),
    ).toContain('nothing about it changes');
    const told = await project.done('migrate draft --rename hut.v.street=hut.v.road --drop hut.v.zip');
    expect(told).toMatch(/hut\.v\.zip +goes; loses 1 value/);
    await project.done('migrate run');
    expect((await project.rows('SELECT v FROM huts')).map(String)).toEqual(['{"road":"A"}']);
  });
});
