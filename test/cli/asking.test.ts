import { beforeAll, expect, test } from '@jest/globals';
import { demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';

const folder = demoFolder();
beforeAll(async () => expect((await vantfell(['seed', '-C', folder])).code).toBe(0));

test('send asks a service that runs, and says where there is none', async () => {
  const server = await serving(folder);
  const ran = await vantfell(['send', 'GET', '/v1/me', '--as', 'tor', '--url', server.url, '-C', folder, '--json']);
  expect(JSON.parse(ran.out)).toMatchObject({ status: 200, body: { data: { name: 'Tor Brattlid' } } });
  expect(JSON.parse(ran.out)).not.toHaveProperty('statements');
  await server.stop();
  const gone = await vantfell(['send', 'GET', '/v1/me', '--url', server.url, '-C', folder]);
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
  const ran = await vantfell([...words, '-C', folder]);
  expect(ran.code).toBe(code);
  expect(ran.err).toContain(told);
});

test('a hook that throws is told with its place in the project, and without a stack trace', async () => {
  const own = folderWith({
    'vantfell.yaml': 'service: { name: X }\n',
    'models/a.yaml': 'model: shelf\nfields: { name: { type: string } }\n',
    'code/shelf.hooks.ts':
      "import { hooks } from 'vantfell';\nexport default hooks('shelf', {\n" +
      "  beforeCreate() {\n    throw new Error('no wood');\n" +
      '  },\n});\n',
  });
  const ran = await vantfell(['send', 'POST', '/shelves', '{"name": "Oak"}', '-C', own]);
  expect(ran.code).toBe(1);
  expect(ran.out).not.toContain('no wood');
  expect(ran.err).toBe('made 1 table\ninside the service: beforeCreate of shelf: no wood (code/shelf.hooks.ts:4:11)\n');
});
