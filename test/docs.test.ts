import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import { compile } from '../src/core/compile.ts';
import { problemTypes } from '../src/core/http/problems.ts';
import { ask, folderWith, serving, vantfell } from './kit/program.ts';

const root = fileURLToPath(new URL('..', import.meta.url));
const read = (file: string) => readFileSync(join(root, file), 'utf8');
const blocks = (file: string, language: string) =>
  [...read(file).matchAll(new RegExp('```' + language + '\\n([\\s\\S]*?)```', 'g'))].map(([, text]) => text!);

describe('the README', () => {
  test('its five minutes work when they are typed', async () => {
    const [service, model, samples] = blocks('README.md', 'yaml');
    const folder = folderWith({ 'vantfell.yaml': service!, 'models/tea.yaml': model!, 'samples/teas.yaml': samples! });
    expect(await vantfell(['check'], { cwd: folder })).toMatchObject({ code: 0 });
    expect(await vantfell(['seed'], { cwd: folder })).toMatchObject({ code: 0 });
    const server = await serving(folder);
    const curls = blocks('README.md', 'sh').join('\n');
    const path = /curl '([^']+)'/.exec(curls)![1]!;
    const list = await ask(path.replace('http://127.0.0.1:8080', server.url));
    expect(list.body.data).toEqual([{ name: 'Mountain Mist', price: '12.50' }]);
    const body = /-d '([^']+)'/.exec(curls)![1]!;
    const refused = await ask(`${server.url}/v1/teas`, 'POST', body);
    expect(refused.body.errors.map(({ pointer }: { pointer: string }) => pointer).sort()).toEqual([
      '/grams',
      '/kind',
      '/price',
    ]);
    await server.stop();
    const trial = await vantfell(['trial'], { cwd: folder });
    expect(trial.code).toBe(0);
    expect(Number(/(\d+) passed, 0 failed/.exec(trial.out)![1])).toBeGreaterThan(40);
  });

  test('leads to pages and pictures that are there', () => {
    for (const file of [
      'README.md',
      'CONTRIBUTING.md',
      ...readdirSync(join(root, 'docs'))
        .filter((name) => name.endsWith('.md'))
        .map((name) => `docs/${name}`),
    ]) {
      for (const [, target] of read(file).matchAll(/\]\(([^):#]+)[^)]*\)/g)) {
        expect(() => read(join(file, '..', target!))).not.toThrow();
      }
    }
  });
});

describe('docs/language.md', () => {
  test('every declaration in it is sound', () => {
    const yaml = blocks('docs/language.md', 'yaml');
    const services = yaml.filter((text) => text.startsWith('service:'));
    const models = yaml.filter((text) => text.startsWith('model:'));
    expect([services.length, models.length]).toEqual([1, 3]);
    for (const text of models) {
      const found = compile({
        service: { file: 'vantfell.yaml', text: 'service: { name: X }' },
        models: [{ file: 'm', text }],
        environment: {},
      });
      expect(found.problems).toEqual([]);
    }
    const environment = { VANTFELL_KEY: 'k'.repeat(32) };
    expect(
      compile({ service: { file: 'v', text: services[0]! }, models: [{ file: 'm', text: 'model: hut' }], environment })
        .problems,
    ).toEqual([]);
  });
});

test('docs/problems.md has an entry for every code that the source gives', () => {
  const page = read('docs/problems.md');
  const sources = ['compile.ts', 'declaration/document.ts', 'declaration/check-shape.ts', 'declaration/environment.ts', 'model/collisions.ts',
    'model/field.ts', 'model/resolve.ts', 'model/service-settings.ts', 'samples/read.ts', 'samples/load.ts'].map((file) => read(`src/core/${file}`)); // prettier-ignore
  const codes = new Set(
    sources.flatMap((text) =>
      [
        ...text.matchAll(
          /(?:complain|complaint|atStart)\(\s*(?:sources\.service, )?'([a-z]+(?:-[a-z]+)+|alias)'|code: '([a-z-]+)'/g,
        ),
      ].map((match) => match[1] ?? match[2]),
    ),
  );
  expect(codes.size).toBeGreaterThan(25);
  for (const code of codes) expect({ code, told: page.includes(`\`${code}\``) }).toEqual({ code, told: true });
});

test('docs/http.md names every problem that a service answers with', () => {
  const page = read('docs/http.md');
  for (const name of Object.keys(problemTypes)) expect(page).toContain(`\`${name}\``);
});

test('a project keeps its own folder out of version control', async () => {
  const folder = folderWith({ 'vantfell.yaml': 'service: { name: X }\n', 'models/a.yaml': 'model: a\n' });
  writeFileSync(join(folder, 'models/a.yaml'), 'model: a\nfields: { n: { type: integer } }\n');
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  expect(readFileSync(join(folder, '.vantfell/.gitignore'), 'utf8')).toBe('*\n');
  expect(readdirSync(join(folder, '.vantfell'))).toContain('data.db');
});
