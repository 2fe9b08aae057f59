import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { ask, demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';

const HUT = `model: hut
fields: { name: { type: string, required: true }, beds: { type: integer, minimum: 0 } }
operations:
  close: { input: { why: { type: string } } }
`;
const CLOSE = "import { operation } from 'vantfell';\nexport default operation('hut.close', () => undefined);\n";

const project = (files: Record<string, string>): string =>
  folderWith({ 'vantfell.yaml': 'service: { name: Huts }\n', 'models/hut.yaml': HUT, ...files });

interface Told {
  readonly sound: boolean;
  readonly problems: { code: string; message: string; remedy: string; place: { file: string; line: number } }[];
}

async function check(folder: string): Promise<Told & { exit: number | null }> {
  const ran = await vantfell(['check', '-C', folder, '--json']);
  const { sound, problems } = JSON.parse(ran.out) as Told;
  return { exit: ran.code, sound, problems: problems.filter(({ code }) => code !== 'open-service') };
}

describe('the code of a project', () => {
  test('is loaded without a build, from files that share others', async () => {
    const folder = project({
      'code/hut.close.ts': CLOSE,
      'code/hut.hooks.ts': `import { hooks } from 'vantfell';
import { suffix } from '../shared/words.ts';
interface Draft { name: string }
export default hooks('hut', { beforeCreate(draft: Draft) { draft.name = draft.name + suffix; } });`,
      'code/shared/words.ts': "export const suffix: string = ' Hut';\n",
      'code/types.d.ts': 'export {};\n',
    });
    expect(await check(folder)).toEqual({ exit: 0, sound: true, problems: [] });
    const server = await serving(folder);
    const { body } = await ask(`${server.url}/huts`, 'POST', { name: 'Mist' });
    expect(body.data.name).toBe('Mist Hut');
    expect((await ask(`${server.url}/huts/${body.data.id}/close`, 'POST', { why: 'snow' })).status).toBe(204);
    expect(await server.stop()).toBe(0);
  });

  test.each<[string, Record<string, string>, object]>([
    [
      'an operation without code',
      {},
      {
        code: 'operation-without-code',
        place: { file: 'models/hut.yaml', line: 4 },
        remedy: "write code/hut.close.ts, which exports operation('hut.close', …)",
      },
    ],
    [
      'code for an operation that nobody declared',
      { 'code/hut.clos.ts': CLOSE, 'code/hut.close.ts': CLOSE },
      { code: 'stray-code', message: 'hut declares no operation clos', place: { file: 'code/hut.clos.ts' } },
    ],
    [
      'code for an unknown model',
      { 'code/huts.hooks.ts': '', 'code/hut.close.ts': CLOSE },
      { code: 'unknown-model', remedy: 'did you mean hut?' },
    ],
    ['a file of no known form', { 'code/helpers.ts': '', 'code/hut.close.ts': CLOSE }, { code: 'stray-code' }],
    [
      'a mistake of TypeScript',
      { 'code/hut.close.ts': `${CLOSE}\nconst x = = 1;\n` },
      { code: 'broken-code', place: { file: 'code/hut.close.ts', line: 4 } },
    ],
    [
      'code that throws while it loads',
      { 'code/hut.close.ts': `${CLOSE}\nthrow new Error('no such thing');\n` },
      { code: 'broken-code', message: 'it does not load: no such thing' },
    ],
    [
      'an import of nothing',
      { 'code/hut.close.ts': `import '../away.ts';\n${CLOSE}` },
      { code: 'broken-code', remedy: 'install it, or mend the import' },
    ],
    [
      'a hook of an unknown event',
      {
        'code/hut.close.ts': CLOSE,
        'code/hut.hooks.ts':
          "import { hooks } from 'vantfell';\nexport default hooks('hut', { beforeSave() {} } as never);\n",
      },
      { code: 'broken-code', message: expect.stringContaining('hut has no hook beforeSave') },
    ],
    [
      'hooks of another model',
      {
        'code/hut.close.ts': CLOSE,
        'code/hut.hooks.ts': "import { hooks } from 'vantfell';\nexport default hooks('night', {});\n",
      },
      { code: 'wrong-code', message: "code/hut.hooks.ts exports another: hooks('night', …)" },
    ],
    [
      'code that exports nothing',
      { 'code/hut.close.ts': 'export const a = 1;\n' },
      { code: 'wrong-code', message: 'code/hut.close.ts does not export one' },
    ],
  ])('%s is a problem of check', async (_what, files, problem) => {
    const { exit, sound, problems } = await check(project(files));
    expect({ exit, sound }).toEqual({ exit: 1, sound: false });
    expect(problems).toHaveLength(1);
    expect(problems[0]).toMatchObject(problem);
  });

  test('that is broken stops the service, and shows where', async () => {
    const folder = demoFolder();
    writeFileSync(join(folder, 'code/stay.cancel.ts'), 'export default 1 +;\n');
    const ran = await vantfell(['serve', '-C', folder, '--port', '0']);
    expect(ran.code).toBe(1);
    expect(ran.err).toContain('code/stay.cancel.ts:1:');
    expect(ran.err).toContain('> 1 | export default 1 +;');
  });

  test('has its errors in the log with their place, and none of them in an answer', async () => {
    const folder = project({
      'code/hut.close.ts': `import { operation } from 'vantfell';
export default operation('hut.close', (input, scope) => {
  scope.log.warn('closing', { hut: scope.record.name });
  throw new Error('the key is lost');
});
`,
    });
    const server = await serving(folder);
    const { body } = await ask(`${server.url}/huts`, 'POST', { name: 'Mist' });
    const answer = await ask(`${server.url}/huts/${body.data.id}/close`, 'POST', {});
    expect([answer.status, JSON.stringify(answer.body)]).toEqual([500, expect.not.stringContaining('key is lost')]);
    await server.stop();
    const lines = server
      .said()
      .split('\n')
      .filter((line) => line.startsWith('{'))
      .map((line) => JSON.parse(line))
      .filter(({ msg }) => msg !== 'request');
    expect(lines).toMatchObject([
      { msg: 'closing', hut: 'Mist' },
      { request: answer.body.request, err: { message: expect.stringMatching(/^hut\.close: the key is lost/) } },
    ]);
    expect(lines[1].err.stack).toMatch(/code\/hut\.close\.ts:4/);
  });
});

describe('export types', () => {
  test('writes what the demo keeps beside its code, whether there is code or not', async () => {
    const folder = demoFolder();
    const kept = await vantfell(['export', 'types', '--code', '-C', folder]);
    const { readFileSync } = await import('node:fs');
    expect([kept.code, kept.out]).toEqual([0, readFileSync(join(folder, 'code/types.d.ts'), 'utf8')]);
    rmSync(join(folder, 'code'), { recursive: true });
    expect((await vantfell(['export', 'types', '--code', '-C', folder])).out).toBe(kept.out);
  });
});
