import { spawnSync } from 'node:child_process';
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import { compiled } from '../kit/compiled.ts';
import { ask, demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';

describe('the exported client', () => {
  test('compiled strictly, it goes through every endpoint of the demo, and comes over lost connections', async () => {
    const [folder, away] = [demoFolder(), folderWith()];
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    expect((await vantfell(['export', 'client', '-C', folder, '--out', join(away, 'client.ts')])).code).toBe(0);
    copyFileSync(fileURLToPath(new URL('../fixtures/client/drive.ts', import.meta.url)), join(away, 'drive.ts'));
    writeFileSync(join(away, 'node.d.ts'), 'declare const process: { readonly argv: readonly string[] };\n');
    // The example of the docs is compiled along with it.
    const page = readFileSync(fileURLToPath(new URL('../../docs/commands.md', import.meta.url)), 'utf8');
    writeFileSync(join(away, 'docs.ts'), /```ts\n([\s\S]+?)```/.exec(page)![1]!);
    expect(compiled(away)).toBe('');

    const server = await serving(folder);
    const ran = spawnSync(process.execPath, [join(away, 'out/drive.js'), server.url]);
    expect(ran.stderr.toString()).toBe('');
    const asked = JSON.parse(ran.stdout.toString()) as string[];
    const { paths } = (await ask(`${server.url}/openapi.json`)).body as { paths: Record<string, object> };
    const missed = Object.entries(paths).flatMap(([path, item]) => {
      if (!path.startsWith('/v1/')) return [];
      const isOf = new RegExp(`^${path.replaceAll(/\{[^}]+\}/g, '[^/]+')}$`);
      const own = asked.filter((one) => isOf.test(one.split(' ')[1]!)).map((one) => one.split(' ')[0]!.toLowerCase());
      return Object.keys(item)
        .filter((method) => method !== 'parameters' && !own.includes(method))
        .map((method) => `${method} ${path}`);
    });
    expect(missed).toEqual([]);
    expect(await server.stop()).toBe(0);
  });

  test('it goes on with its session, once for all requests, and not with a token that was copied', async () => {
    const [folder, away] = [demoFolder(), folderWith()];
    const file = join(folder, 'vantfell.yaml');
    const text = readFileSync(file, 'utf8');
    writeFileSync(file, text.replace(/tokens: \{.*\}/, 'tokens: { lifetime: 15min, refresh: 30d }'));
    expect(readFileSync(file, 'utf8')).not.toBe(text);
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    expect((await vantfell(['export', 'client', '-C', folder, '--out', join(away, 'client.ts')])).code).toBe(0);
    const script = fileURLToPath(new URL('../fixtures/client/sessions.ts', import.meta.url));
    copyFileSync(script, join(away, 'sessions.ts'));
    writeFileSync(join(away, 'node.d.ts'), 'declare const process: { readonly argv: readonly string[] };\n');
    expect(compiled(away)).toBe('');
    const server = await serving(folder);
    const ran = spawnSync(process.execPath, [join(away, 'out/sessions.js'), server.url]);
    expect(ran.stderr.toString()).toBe('');
    expect(JSON.parse(ran.stdout.toString())).toEqual({
      names: ['Tor Brattlid'],
      refreshes: 1,
      kept: 3,
      current: true,
      statuses: [401, 401, 401],
    });
    expect(await server.stop()).toBe(0);
  });

  test('it goes through the life of an account', async () => {
    const [parent, away] = [folderWith(), folderWith()];
    expect((await vantfell(['new', 'walks', '--identity'], { cwd: parent })).code).toBe(0);
    const folder = join(parent, 'walks');
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    expect((await vantfell(['export', 'client', '-C', folder, '--out', join(away, 'client.ts')])).code).toBe(0);
    const script = fileURLToPath(new URL('../fixtures/client/accounts.ts', import.meta.url));
    copyFileSync(script, join(away, 'accounts.ts'));
    writeFileSync(join(away, 'node.d.ts'), NODE_TYPES);
    expect(compiled(away)).toBe('');
    const server = await serving(folder);
    mkdirSync(join(folder, '.vantfell/mail'), { recursive: true });
    const ran = spawnSync(process.execPath, [
      join(away, 'out/accounts.js'),
      server.url,
      join(folder, '.vantfell/mail'),
    ]);
    expect(ran.stderr.toString()).toBe('');
    expect(JSON.parse(ran.stdout.toString())).toEqual({
      early: 403,
      later: 200,
      wrong: 422,
      again: 422,
      over: 401,
      isMe: true,
    });
    expect(await server.stop()).toBe(0);
  });
});

const NODE_TYPES = `
declare const process: { readonly argv: readonly string[] };
declare function setImmediate(then: () => void): void;
declare module 'node:fs' {
  export function readdirSync(folder: string): string[];
  export function readFileSync(file: string, encoding: 'utf8'): string;
}
`;
