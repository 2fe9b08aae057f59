import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { problemTypes } from '../../src/core/api/problems.ts';
import { compile } from '../../src/core/compile.ts';
import { fits } from '../../src/core/declaration/check-shape.ts';
import { readDocuments } from '../../src/core/declaration/document.ts';
import { modelShape } from '../../src/core/declaration/model-shape.ts';
import { problemCodes } from '../../src/core/declaration/problem-codes.ts';
import { serviceShape } from '../../src/core/declaration/service-shape.ts';
import type { Shape } from '../../src/core/declaration/shape.ts';
import { letters } from '../../src/core/expression/letters.ts';
import type { NameScope } from '../../src/core/expression/name-scope.ts';
import { parse } from '../../src/core/expression/parse.ts';
import { typed } from '../../src/core/expression/type.ts';
import type { Graph } from '../../src/core/model/graph.ts';
import { isRecord } from '../../src/core/text/value.ts';
import { readProject } from '../../src/project/project.ts';
import { ask, demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';

const root = fileURLToPath(new URL('../..', import.meta.url));
const read = (file: string) => readFileSync(join(root, file), 'utf8');
const blocks = (file: string, language: string) =>
  [...read(file).matchAll(new RegExp('```' + language + '\\n([\\s\\S]*?)```', 'g'))].map(([, text]) => text!);

describe('the README', () => {
  test('leads to pages and pictures that are there', () => {
    for (const file of [
      'README.md',
      'CONTRIBUTING.md',
      ...readdirSync(join(root, 'docs'), { recursive: true, encoding: 'utf8' })
        .filter((name) => name.endsWith('.md'))
        .map((name) => `docs/${name}`),
    ]) {
      for (const [, target] of read(file).matchAll(/\]\(([^):#]+)[^)]*\)/g)) {
        expect(() => read(join(file, '..', target!))).not.toThrow();
      }
    }
  });
});

/** The other models that an example may name; one that the example has itself is left out. */
const AROUND: Readonly<Record<string, string>> = {
  member:
    'fields: { name: { type: string, required: true, default: x }, email: { type: email, ' +
    'required: true, unique: true }, passphrase: { type: secret }, subject: { type: string, ' +
    'unique: true }, roles: { type: array, items: { enum: [walker, steward] } } }',
  hut: 'may: { read: anybody }\nfields: { name: { type: string } }\nrelations: { warden: { to: member } }',
  amenity: 'fields: { slug: { type: string } }',
  night: 'within: hut\nfields: { date: { type: date } }',
  supply: 'fields: { item: { type: string }, quantity: { type: decimal } }',
};

function inProject(text: string) {
  const isService = text.startsWith('service:');
  const own = [...text.matchAll(/^model: ([a-z-]+)/gm)].map(([, name]) => name!);
  const around = Object.entries(AROUND).filter(([name]) => !own.includes(name));
  const identity = 'identity: { model: member, login: email, secret: passphrase, roles: roles }\n';
  const service = isService ? text : `service: { name: X }\n${identity}`;
  return compile({
    service: { file: 'vantfell.yaml', text: service },
    models: [
      ...(isService ? [] : [{ file: 'example', text }]),
      ...around.map(([name, rest]) => ({ file: name, text: `model: ${name}\n${rest}\n` })),
    ],
    environment: { VANTFELL_KEY: 'k'.repeat(32) },
  });
}

/** Which entries of a shape a value uses: `model.fields.items`, wherever they stand. */
function usedEntries(value: unknown, shape: Shape, used: Set<string>): void {
  switch (shape.kind) {
    case 'named':
      return usedEntries(value, shape.of(), used);
    case 'list':
      return void (value as unknown[]).forEach((item) => usedEntries(item, shape.of, used));
    case 'map':
      return void Object.values(value as object).forEach((item) => usedEntries(item, shape.of, used));
    case 'either':
      return shape.of
        .filter((option) => fits(value, option))
        .slice(0, 1)
        .forEach((option) => usedEntries(value, option, used));
    case 'entries':
      for (const [name, item] of Object.entries(value as object)) {
        const entry = shape.entries[name];
        used.add(`${shape.what}: ${entry === undefined ? '(others)' : name}`);
        usedEntries(item, entry?.shape ?? shape.others!.shape, used);
      }
      return;
    default:
  }
}

function allEntries(shape: Shape, found: Set<string>, seen = new Set<string>()): Set<string> {
  if (shape.kind === 'named' && !seen.has(shape.name)) allEntries(shape.of(), found, seen.add(shape.name));
  else if (shape.kind === 'list' || shape.kind === 'map') allEntries(shape.of, found, seen);
  else if (shape.kind === 'either') shape.of.forEach((option) => allEntries(option, found, seen));
  else if (shape.kind === 'entries') {
    for (const [name, entry] of Object.entries(shape.entries)) {
      found.add(`${shape.what}: ${name}`);
      allEntries(entry.shape, found, seen);
    }
    if (shape.others !== undefined) found.add(`${shape.what}: (others)`);
  }
  return found;
}

describe('docs/language.md', () => {
  const examples = blocks('docs/language.md', 'yaml');

  test.each(examples.map((text) => [text.split('\n')[0]!, text]))(
    'the example that begins with %s is sound',
    (_first, text) => {
      const { problems } = inProject(text);
      const told = problems.filter(({ code }) => !['open-service', 'nobody-may'].includes(code));
      expect(told).toEqual([]);
    },
  );

  test('every entry of the language stands in an example', () => {
    const used = new Set<string>();
    for (const text of examples) {
      const shape = text.startsWith('service:') ? serviceShape : modelShape;
      for (const { value } of readDocuments({ file: 'x', text }).documents) usedEntries(value, shape, used);
    }
    const all = [...allEntries(serviceShape, new Set()), ...allEntries(modelShape, new Set())];
    // An item and a property take what a field takes, which has examples of its own.
    const missing = all.filter((entry) => !used.has(entry) && !/^an? (item|property): /.test(entry));
    expect(missing).toEqual([]);
  });

  test('the schemas for editors take every example and the demo, and refuse what the checker refuses', () => {
    const ajv = new Ajv2020({ strict: false });
    const schemas = Object.fromEntries(
      ['service', 'model'].map((name) => [
        name,
        ajv.compile(JSON.parse(read(`dist/schemas/${name}.schema.json`)) as object),
      ]),
    );
    const demo = readdirSync(join(root, 'demo/models')).map((file) => read(`demo/models/${file}`));
    for (const text of [...examples, ...demo, read('demo/vantfell.yaml')]) {
      for (const { value } of readDocuments({ file: 'x', text }).documents) {
        const schema = schemas[isRecord(value) && 'service' in value ? 'service' : 'model']!;
        expect({ text, taken: schema(value), errors: schema.errors }).toEqual({ text, taken: true, errors: null });
      }
    }
    for (const wrong of [
      'model: Hut',
      'model: a\nfields: { n: { type: strng } }',
      'model: a\nfeilds: {}',
      'model: a\nmay: { fields: [owner] }',
    ]) {
      const [document] = readDocuments({ file: 'x', text: wrong }).documents;
      expect({ wrong, taken: schemas.model!(document!.value) }).toEqual({ wrong, taken: false });
    }
  });
});

describe('docs/expressions.md', () => {
  const rows = read('docs/expressions.md')
    .split('\n')
    .filter((line) => line.startsWith('| `'));
  const written = rows.flatMap((line) => [...line.split('|')[1]!.matchAll(/`([^`]+)`/g)].map(([, text]) => text!));
  const { graph } = readProject(demoFolder());

  test.each(written)('%s can be written of a model of the demo', (text) => {
    const attempts = ['hut', 'night', 'report'].map((name) => {
      try {
        return typed(parse(text), scopeIn(graph!, name)).type.kind;
      } catch (error) {
        return (error as Error).message;
      }
    });
    expect(
      attempts.some((kind) =>
        ['boolean', 'integer', 'decimal', 'number', 'text', 'date', 'date-time', 'uuid'].includes(kind),
      )
        ? ''
        : attempts.join('\n'),
    ).toBe('');
  });
});

function scopeIn(graph: Graph, name: string): NameScope {
  return {
    model: graph.byName.get(name),
    models: graph.byName,
    computed: (model, value) => graph.byName.get(model)?.computed.find(({ member }) => member === value)?.value,
    computedNames: () => [],
    caller: { key: graph.byName.get('member')!.key },
    letters,
  };
}

test('docs/access.md: its service is sound, and its member signs in', async () => {
  const [service] = blocks('docs/access.md', 'yaml');
  const folder = demoFolder();
  writeFileSync(join(folder, 'vantfell.yaml'), service!);
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const server = await serving(folder);
  const [signIn] = blocks('docs/access.md', 'sh');
  const [, body] = /-d '([^']+)'/.exec(signIn!)!;
  const { access_token } = (await ask(`${server.url}/v1/tokens`, 'POST', body!)).body;
  const me = await ask(`${server.url}/v1/me`, 'GET', undefined, { authorization: `Bearer ${access_token}` });
  const [, who] = /vantfell token (\S+?)\)/.exec(signIn!)!;
  expect(me.body.data.id).toBe(JSON.parse((await vantfell(['token', who!, '-C', folder, '--json'])).out).caller);
  expect(await server.stop()).toBe(0);
});

test('docs/problems.md has an entry for every problem code, and for nothing else', () => {
  const rows = read('docs/problems.md').matchAll(/^\| (`[^|]+)\|/gm);
  const documented = [...rows].flatMap(([, cell]) => [...cell!.matchAll(/`([a-z-]+)`/g)].map(([, code]) => code!));
  expect(documented.sort()).toEqual([...problemCodes].sort());
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
