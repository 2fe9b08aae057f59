import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { newDatabase, startPostgres } from './kit/postgres.mjs';
import type { TestPostgres } from './kit/postgres.mjs';
import { demoFolder, folderWith, serving, vantfell } from './kit/program.ts';

let postgres: TestPostgres;
const folders = { sqlite: demoFolder(), postgres: demoFolder() };
beforeAll(async () => {
  postgres = await startPostgres();
  const file = join(folders.postgres, 'vantfell.yaml');
  const address = await newDatabase(postgres, 'asking');
  writeFileSync(file, readFileSync(file, 'utf8').replace(/^store: .*$/m, `store: ${address}`));
  for (const folder of Object.values(folders)) expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
}, 120_000);
afterAll(() => postgres.stop());

interface Explained {
  readonly statements: readonly { served: boolean; verdict: string; plan: { table?: string }[]; add: unknown; but: string[] }[]; // prettier-ignore
}

const onEach = describe.each([['sqlite' as const], ['postgres' as const]]);

onEach('send, on %s', (kind) => {
  const folder = folders[kind];
  const send = (...words: string[]) => vantfell(['send', ...words, '-C', folder]);

  test('shows the status, the headers, the body and the SQL behind it, and no value that SQL was given', async () => {
    const ran = await send('GET', '/v1/huts?name=Grey%20Hut&fields=name,beds');
    expect(ran).toMatchObject({ code: 0, err: '' });
    expect(ran.out).toMatch(/^200 OK {2}\d/);
    expect(ran.out).toContain('\ncontent-type: application/json\n');
    expect(ran.out).toContain('"data": [{"name": "Grey Hut", "beds": 40}]');
    const [, sql] = ran.out.split('\n1 statement\n');
    expect(sql).toMatch(/ ms, 1 row\n {2}SELECT\n/);
    expect(sql).not.toContain('Grey Hut');
  });

  test('writes as somebody of the samples, in a transaction; a sample in braces stands for its key', async () => {
    const words = ['PATCH', '/v1/huts/{hut/grey-hut}', '{"beds": 38}', '--json'];
    const stranger = JSON.parse((await send(...words)).out) as object;
    expect(stranger).toMatchObject({ status: 401, body: { title: 'Somebody has to sign in for this' } });
    const warden = await send(...words, '--as', 'member/ines');
    expect(warden.code).toBe(0);
    expect(JSON.parse(warden.out)).toMatchObject({ status: 200, body: { data: { name: 'Grey Hut', beds: 38 } } });
    const kept = await send('get', '/v1/huts/{hut/grey-hut}?fields=beds', '--json');
    expect(JSON.parse(kept.out)).toMatchObject({ status: 200, body: { data: { beds: 38 } } });
    const traced = await send('PATCH', '/v1/huts/{hut/grey-hut}', '{"beds": 40}', '--as', 'ines');
    expect(traced.out).toMatch(/\nBEGIN\n[\s\S]*UPDATE[\s\S]*\nCOMMIT\n/);
  });

  test('takes headers, and exits with 1 where the answer is a problem', async () => {
    const stale = await send(
      'PATCH',
      '/v1/huts/{hut/grey-hut}',
      '{"beds": 3}',
      '--as',
      'ines',
      '-H',
      'If-Match: "old"',
    );
    expect(stale.code).toBe(1);
    expect(stale.out).toMatch(/^412 Precondition Failed/);
    const lost = await send('GET', '/v1/hutz');
    expect(lost.code).toBe(1);
    expect(lost.out).toContain('did you mean /v1/huts');
  });
});

test('send asks a service that runs, and says where there is none', async () => {
  const server = await serving(folders.sqlite);
  const ran = await vantfell([
    'send',
    'GET',
    '/v1/me',
    '--as',
    'tor',
    '--url',
    server.url,
    '-C',
    folders.sqlite,
    '--json',
  ]);
  expect(JSON.parse(ran.out)).toMatchObject({ status: 200, body: { data: { name: 'Tor Brattlid' } } });
  expect(JSON.parse(ran.out)).not.toHaveProperty('statements');
  await server.stop();
  const gone = await vantfell(['send', 'GET', '/v1/me', '--url', server.url, '-C', folders.sqlite]);
  expect([gone.code, gone.out]).toEqual([3, '']);
  expect(gone.err).toContain(`${server.url} does not answer`);
});

test.each([
  [['send', 'FETCH', '/v1/huts'], 2, 'there is no method FETCH'],
  [['send', 'GET', 'v1/huts'], 2, 'write it as /v1/huts'],
  [['send', 'GET', '/v1/huts', '-H', 'nonsense'], 2, 'nonsense is no header'],
  [['send', 'GET', '/v1/huts', '--url', 'localhost'], 2, '--url must be an address'],
  [['send', 'GET', '/v1/huts/{hut/grey-hutt}'], 1, 'did you mean hut/grey-hut?'],
  [['send', 'GET', '/v1/me', '--as', 'member/toor'], 1, 'did you mean member/tor?'],
  [['explain', 'GET', '/v1/hutz/{id}'], 2, 'did you mean /v1/huts/{id}?'],
])('%j is told with the way out', async (words, code, told) => {
  const ran = await vantfell([...words, '-C', folders.sqlite]);
  expect(ran.code).toBe(code);
  expect(ran.err).toContain(told);
});

test('a hook that throws is told with its place in the project, and without a stack trace', async () => {
  const folder = folderWith({
    'vantfell.yaml': 'service: { name: X }\n',
    'models/a.yaml': 'model: shelf\nfields: { name: { type: string } }\n',
    'code/shelf.hooks.ts': "import { hooks } from 'vantfell';\nexport default hooks('shelf', {\n  beforeCreate() {\n    throw new Error('no wood');\n  },\n});\n",
  }); // prettier-ignore
  const ran = await vantfell(['send', 'POST', '/shelves', '{"name": "Oak"}', '-C', folder]);
  expect(ran.code).toBe(1);
  expect(ran.out).not.toContain('no wood');
  expect(ran.err).toBe('made 1 table\ninside the service: beforeCreate of shelf: no wood (code/shelf.hooks.ts:4:11)\n');
});

onEach('explain, on %s', (kind) => {
  const folder = demoFolder();
  beforeAll(async () => {
    if (kind === 'postgres') {
      const file = join(folder, 'vantfell.yaml');
      const address = await newDatabase(postgres, 'explained');
      writeFileSync(file, readFileSync(file, 'utf8').replace(/^store: .*$/m, `store: ${address}`));
    }
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  }, 60_000);
  const explain = async (...words: string[]): Promise<Explained> =>
    JSON.parse((await vantfell(['explain', ...words, '-C', folder, '--json'])).out) as Explained;

  test('tells an index that serves a list, a record by its key, and what none can serve', async () => {
    const [list] = (await explain('GET', '/v1/huts?sort=name')).statements;
    expect(list).toMatchObject({ served: true, add: null, but: [] });
    const [record] = (await explain('GET', '/v1/huts/{id}')).statements;
    expect(record).toMatchObject({ served: true, add: null });
    const [searched] = (await explain('GET', "/v1/reports?filter=title%20LIKE%20'%25e%25'")).statements;
    expect(searched).toMatchObject({ served: false, add: null, but: [expect.stringContaining('LIKE')] });
  });

  test('the index that it tells to add serves the list, once it is there', async () => {
    const path = '/v1/huts?kind=staffed&sort=-beds&fields=name';
    const [before] = (await explain('GET', path)).statements;
    expect(before).toMatchObject({ served: false, add: { model: 'hut', index: ['kind', 'beds'] } });
    const text = await vantfell(['explain', 'GET', path, '-C', folder]);
    expect(text.out).toContain('→ in the model hut, add to index: [[kind, beds]]');
    const file = join(folder, 'models/hut.yaml');
    writeFileSync(
      file,
      readFileSync(file, 'utf8').replace('  - [valley, altitude_m]', '  - [valley, altitude_m]\n  - [kind, beds]'),
    );
    expect((await vantfell(['migrate', 'draft', '-C', folder])).code).toBe(0);
    expect((await vantfell(['migrate', 'run', '-C', folder])).code).toBe(0);
    const [after] = (await explain('GET', path)).statements;
    expect(after).toMatchObject({ served: true, add: null });
  });

  test('a write is explained with all of its statements, and nothing of it is kept', async () => {
    const path = '/v1/huts/{hut/raven-hut}';
    const write = await explain('PATCH', path, '{"beds": 3}', '--as', 'tor');
    expect(write.statements.length).toBeGreaterThan(3);
    expect(write.statements.every(({ served }) => served)).toBe(true);
    const kept = await vantfell(['send', 'GET', `${path}?fields=beds`, '-C', folder, '--json']);
    expect(JSON.parse(kept.out)).toMatchObject({ body: { data: { beds: 16 } } });
  });
});
