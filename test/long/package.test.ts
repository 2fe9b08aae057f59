import { spawn, spawnSync } from 'node:child_process';
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { beforeAll, expect, test } from '@jest/globals';
import { folderWith } from '../kit/program.ts';

const root = fileURLToPath(new URL('../..', import.meta.url));

/** Runs a command to its end. */
function run(command: string, words: readonly string[], cwd: string): Promise<{ code: number | null; out: string }> {
  return new Promise((resolve) => {
    const child = spawn(command, words, {
      cwd,
      env: { ...process.env, NO_COLOR: '1' },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let out = '';
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (chunk: Buffer) => (out += chunk.toString()));
    child.on('close', (code) => resolve({ code, out }));
  });
}

/** A folder in which the package is installed, as somebody has it from a registry. */
const folder = folderWith({ 'package.json': '{ "name": "mine", "private": true, "type": "module" }\n' });
let tarball: string;
beforeAll(async () => {
  const away = folderWith();
  const packed = await run('npm', ['pack', root, '--pack-destination', away, '--ignore-scripts'], away);
  expect(packed.code).toBe(0);
  tarball = join(
    away,
    readdirSync(away).find((name) => name.endsWith('.tgz'))!,
  );
  const installed = await run('npm', ['install', tarball, '--no-audit', '--no-fund'], folder);
  expect({ ...installed, out: installed.code === 0 ? '' : installed.out }).toEqual({ code: 0, out: '' });
});

test('installed in an empty folder, it makes the demo, and a project that passes its trial', async () => {
  const demo = await run('npx', ['vantfell', 'demo'], folder);
  expect([demo.code, /\d+ passed, 0 failed/.test(demo.out)]).toEqual([0, true]);
  expect((await run('npx', ['vantfell', 'new', 'tea'], folder)).code).toBe(0);
  expect(await run('npx', ['vantfell', 'trial', '-C', 'tea', '--quiet'], folder)).toMatchObject({ code: 0 });
  expect(existsSync(join(folder, 'node_modules/vantfell/dist/schemas/model.schema.json'))).toBe(true);
  expect((await run('npx', ['vantfell', 'outline', '-C', 'tea', '--diagram', 'tea.svg'], folder)).code).toBe(0);
  expect((await run('npx', ['vantfell', 'export', 'client', '-C', 'tea', '--out', 'client.ts'], folder)).code).toBe(0);
});

test('its types resolve for a program in TypeScript, and the program runs', async () => {
  const program = `import { cql, hooks, openService, operation } from 'vantfell';
import type { OpenService, RecordOf, ScopeOf } from 'vantfell';
export const trimmed = hooks('hut', { beforeCreate(draft, scope) { if (draft.name === '') scope.refuse('a name'); } });
export const close = operation('hut.close', async (input, scope) => scope.model('hut').find(cql\`beds > \${1}\`));
const service: OpenService = await openService('./fell-huts');
const answer: Response = await service.fetch(new Request('http://huts.example/v1/huts?limit=1&fields=name'));
console.log(((await answer.json()) as { data: unknown[] }).data.length);
await service.close();
export type { RecordOf, ScopeOf };
`;
  writeFileSync(join(folder, 'main.ts'), program);
  const options = {
    module: 'nodenext',
    target: 'es2022',
    strict: true,
    noEmit: false,
    outDir: 'out',
    skipLibCheck: false,
    types: ['node'],
    typeRoots: [join(root, 'node_modules/@types')],
  };
  writeFileSync(join(folder, 'tsconfig.json'), JSON.stringify({ compilerOptions: options, files: ['main.ts'] }));
  expect(await run(process.execPath, [join(root, 'node_modules/typescript/bin/tsc')], folder)).toEqual({
    code: 0,
    out: '',
  });
  expect((await run('npx', ['vantfell', 'demo', '--quiet', '--json'], folder)).code).toBe(0);
  expect(await run(process.execPath, ['out/main.js'], folder)).toEqual({ code: 0, out: '1\n' });
});

test('is clean for publint, small, and holds nothing but what it needs', () => {
  const linted = spawnSync(process.execPath, [join(root, 'node_modules/publint/src/cli.js'), tarball, '--strict'], {
    encoding: 'utf8',
  });
  expect([linted.status, linted.stdout]).toEqual([0, expect.stringContaining('All good!')]);
  // Three drivers of databases are in it.
  expect(statSync(tarball).size).toBeLessThan(2_600_000);
  const inside = join(folder, 'node_modules/vantfell');
  expect(readdirSync(inside).sort()).toEqual([
    'CHANGELOG.md',
    'LICENSE',
    'README.md',
    'demo',
    'dist',
    'package.json',
    'starter',
    'starter-identity',
  ]);
  const { dependencies } = JSON.parse(readFileSync(join(inside, 'package.json'), 'utf8')) as { dependencies: object };
  // One has a binary, the other looks for its own files: all others are in the bundle, with their licences.
  expect(Object.keys(dependencies)).toEqual(['jiti', 'libsql']);
  expect(readFileSync(join(inside, 'dist/LICENSES.txt'), 'utf8')).toMatch(/^yargs \d/m);
});
