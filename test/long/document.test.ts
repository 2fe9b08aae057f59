import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import { Ajv2020 } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import fc from 'fast-check';
import { parse } from 'yaml';
import { documentJson, openApi } from '../../src/core/document/openapi.ts';
import { demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';
import { projects } from '../kit/projects.ts';

type Tree = Record<string, unknown>;

const EVERYTHING = {
  'vantfell.yaml': 'service: { name: Everything, description: All types and rules. }\n',
  'models/a.yaml': `
model: thing
key: code
stamps: false
endpoints: [list, read, create, update]
fields:
  code: { type: string, required: true, pattern: '^[A-Z]{3}$', examples: [ABC] }
  amount: { type: decimal, scale: 3, minimum: 0.5, multipleOf: 0.25 }
  share: { type: number, exclusiveMinimum: 0, exclusiveMaximum: 1 }
  grade: { type: integer, multipleOf: 5, default: 10, maximum: 50 }
  state: { enum: [new, used], default: new }
  only: { type: string, const: yes }
  at: { type: date-time }
  opens: { type: time }
  link: { type: uri }
  tag: { type: uuid, readOnly: true }
  shout: { type: string, letters: upper, trim: true, minLength: 2 }
---
model: part
key: serial
within: thing
fields: { note: { type: text } }
relations: { twin: { to: part, onDelete: clear } }
`,
};

const VALIDATORS = fileURLToPath(new URL('../kit/validate-document.mjs', import.meta.url));
const ALL_VALID = {
  'swagger-parser': 'valid',
  'openapi-schema-validator': 'valid',
  'json-schema': 'valid',
  schemas: 'valid',
  'generated types': 'valid',
};

async function exported(folder: string, ...words: string[]): Promise<string> {
  const { out, code } = await vantfell(['export', ...words, '-C', folder]);
  expect(code).toBe(0);
  return out;
}

const documentOf = async (folder: string): Promise<Tree> => JSON.parse(await exported(folder, 'openapi')) as Tree;

/** What each validator, and a generator of types, says of documents. */
function verdicts(...documents: Tree[]): Record<string, string>[] {
  const { stdout, stderr } = spawnSync(process.execPath, [VALIDATORS], {
    input: JSON.stringify(documents),
    maxBuffer: 1e8,
  });
  expect(stderr.toString()).toBe('');
  return JSON.parse(stdout.toString()) as Record<string, string>[];
}

/** Every object in a tree, with its place; examples are values, and no part of what is said. */
function* objectsIn(value: unknown, place = ''): Generator<[string, Tree]> {
  if (Array.isArray(value)) for (const [at, item] of value.entries()) yield* objectsIn(item, `${place}/${at}`);
  else if (typeof value === 'object' && value !== null) {
    yield [place, value as Tree];
    for (const [name, inner] of Object.entries(value)) {
      if (name !== 'examples') yield* objectsIn(inner, `${place}/${name}`);
    }
  }
}

function expectWhole(document: Tree): void {
  const objects = [...objectsIn(document)];
  const used = new Set(
    objects.flatMap(([, { $ref }]) => (typeof $ref === 'string' ? $ref.replace('#/components/', '') : [])),
  );
  for (const [, { security }] of objects) {
    for (const name of ((security ?? []) as object[]).flatMap((one) => Object.keys(one)))
      used.add(`securitySchemes/${name}`);
  }
  const held = Object.entries(document.components as Record<string, Tree>).flatMap(([kind, entries]) =>
    Object.keys(entries).map((name) => `${kind}/${name}`),
  );
  expect([...used].sort()).toEqual(held.sort());
  const ids = objects.flatMap(([, { operationId }]) => operationId ?? []);
  expect(new Set(ids).size).toBe(ids.length);
  // What is made of several things stands once, and is referred to.
  const inline = objects.filter(
    ([place, one]) =>
      (one.properties !== undefined || one.enum !== undefined || one.content !== undefined) &&
      !/^\/components\/[^/]+\/[^/]+$/.test(place),
  );
  const texts = inline.map(([, one]) => JSON.stringify(one)).filter((text) => text.length > 80);
  expect(texts.filter((text, at) => texts.indexOf(text) !== at)).toEqual([]);
}

describe.each([
  ['the demo', demoFolder],
  ['a project with every type and rule', () => folderWith(EVERYTHING)],
])('the OpenAPI document of %s', (_name, folder) => {
  test('is valid for three independent validators, and types are made from it', async () => {
    const document = await documentOf(folder());
    expect(document.openapi).toBe('3.1.0');
    expect(verdicts(document)).toEqual([ALL_VALID]);
  });

  test('refers to nothing that is missing, holds nothing that is unused, and says nothing twice', async () => {
    expectWhole(await documentOf(folder()));
  });

  test('has examples that its own schemas allow', async () => {
    const document = await documentOf(folder());
    const ajv = new Ajv2020({ strict: false });
    (addFormats as unknown as (ajv: Ajv2020) => void)(ajv);
    ajv.addSchema({ $id: 'document:/', ...document });
    let examples = 0;
    for (const [name, schema] of Object.entries((document.components as { schemas: Record<string, Tree> }).schemas)) {
      for (const example of (schema.examples ?? []) as unknown[]) {
        examples += 1;
        const isValid = ajv.compile({ $ref: `document:/#/components/schemas/${name}` });
        expect([name, isValid(example), isValid.errors, example]).toEqual([name, true, null, example]);
      }
    }
    expect(examples).toBeGreaterThan(3);
  });
});

test('documents of projects of all kinds are valid, whole and the same each time', () => {
  const graphs = fc.sample(projects, { numRuns: 12, seed: 5 }).map(({ graph }) => graph);
  const documents = graphs.map((graph) => openApi(graph));
  expect(verdicts(...documents)).toEqual(documents.map(() => ALL_VALID));
  documents.forEach(expectWhole);
  expect(graphs.map((graph) => documentJson(openApi(graph)))).toEqual(documents.map(documentJson));
});

test('validators find a broken document', async () => {
  const document = await documentOf(demoFolder());
  const [path] = Object.keys(document.paths as Tree);
  const broken = { ...document, paths: { [path!]: { get: { responses: { 200: {} }, parameters: [{ name: 'x' }] } } } };
  const [said] = verdicts(broken);
  expect(said!['swagger-parser']).toContain('invalid');
  expect(said!['openapi-schema-validator']).toContain('invalid');
  expect(said!['json-schema']).toContain('invalid');
});

test('what is only for some is no example, and what is for all comes from the samples', async () => {
  const text = await exported(demoFolder(), 'openapi');
  expect(text).toContain('Grey Hut');
  expect(text).toContain('Water under the north window');
  for (const secret of ['fellhuts.example', 'Ines Askheim', 'kettle on the ridge', '555 0143'])
    expect(text).not.toContain(secret);
});

test(
  'the document tells who may, what is growing old, where the ' + 'service is, and how conditions are written',
  async () => {
    const folder = folderWith({
      'vantfell.yaml': "service: { name: Old, servers: [{ url: 'https://huts.example', description: Here. }] }\n",
      'models/hut.yaml':
        'model: hut\nfields: { beds: { type: integer, deprecated: true } ' +
        '}\noperations: { sweep: { deprecated: true } }\n',
      'code/hut.sweep.ts':
        "import { operation } from 'vantfell';\nexport default operation('hut.sweep', () => null);\n",
    });
    const old = await documentOf(folder);
    expect(old.servers).toEqual([{ url: 'https://huts.example', description: 'Here.' }]);
    expect(old).toMatchObject({
      paths: { '/huts/{id}/sweep': { post: { deprecated: true } } },
      components: { schemas: { Hut: { properties: { beds: { deprecated: true } } } } },
    });
    const { paths, components } = (await documentOf(demoFolder())) as {
      paths: Record<string, Record<string, Tree>>;
      components: Record<string, Record<string, Tree>>;
    };
    expect(paths['/v1/huts']!.get).toMatchObject({
      description: 'Allowed for anybody.',
      security: [{}, { token: [] }],
    });
    expect(paths['/v1/huts']!.post).toMatchObject({
      description: 'Allowed for the role steward.',
      security: [{ token: ['role:steward'] }],
    });
    expect(paths['/v1/stays/{id}/cancel']!.post).toMatchObject({
      description: 'Give the beds back. Allowed for the owner and its night.hut.warden.',
    });
    expect(components.parameters!['Hut.filter']).toMatchObject({
      examples: { compared: { value: expect.stringContaining('>=') } },
    });
    expect(String(components.schemas!.filter!.description as string)).toContain('comparison = value');
  },
);

test('the served documents say what the exported ones say, and are not sent twice', async () => {
  const folder = demoFolder();
  const server = await serving(folder);
  for (const [path, words, type] of [
    ['/openapi.json', [], 'application/json'],
    ['/openapi.yaml', ['--yaml'], 'application/yaml'],
  ] as const) {
    const answer = await fetch(server.url + path);
    expect(answer.headers.get('content-type')).toBe(type);
    // What is served is for programs, what is exported for people, too.
    const [served, given] = [await answer.text(), await exported(folder, 'openapi', ...words)];
    expect(parse(served)).toEqual(parse(given));
    expect(served.length).toBeLessThanOrEqual(given.length);
    const etag = answer.headers.get('etag')!;
    expect((await fetch(server.url + path, { headers: { 'if-none-match': etag } })).status).toBe(304);
  }
  const [json, yaml] = [join(folder, 'o.json'), join(folder, 'o.yaml')];
  for (const file of [json, yaml]) await exported(folder, 'openapi', '--out', file);
  expect(parse(readFileSync(yaml, 'utf8'))).toEqual(JSON.parse(readFileSync(json, 'utf8')));
});

test('every type and rule holds up in a trial of its own', async () => {
  const ran = await vantfell(['trial', '-C', folderWith(EVERYTHING)]);
  expect(ran.out).toMatch(/ passed, 0 failed/);
  expect(ran.code).toBe(0);
});

describe('what else is exported', () => {
  test('a JSON Schema for each model stands by itself', async () => {
    const folder = demoFolder();
    const away = join(folder, 'schemas');
    expect((await vantfell(['export', 'schemas', '-C', folder, '--out', away])).code).toBe(0);
    const files = JSON.parse(await exported(folder, 'schemas')) as Record<string, Tree>;
    const ajv = new Ajv2020({ strict: false });
    (addFormats as unknown as (ajv: Ajv2020) => void)(ajv);
    for (const [name, schema] of Object.entries(files)) {
      expect(JSON.parse(readFileSync(join(away, name), 'utf8'))).toEqual(schema);
      const isValid = ajv.compile(schema);
      for (const example of schema.examples as unknown[]) expect([name, isValid(example)]).toEqual([name, true]);
      expect([name, isValid({})]).toEqual([name, false]);
    }
    const hut = ajv.compile({ $ref: 'hut.schema.json#/$defs/Hut.create' });
    expect(hut({ name: 'Mist Hut', valley: 'Askdal', beds: 2, altitude_m: 3 })).toBe(true);
    expect(hut({ name: 'Mist Hut', valley: 'Askda', beds: 2, altitude_m: 3 })).toBe(false);
  });

  test('the SQL makes the tables that migrations make', async () => {
    const folder = demoFolder();
    const sql = await exported(folder, 'sql', '--store', 'postgres');
    const [first] = ['demo/migrations/0001-first-tables/postgres.forward.sql'].map((file) =>
      readFileSync(file, 'utf8'),
    );
    const statements = (text: string): string[] => text.split('\n').filter((line) => !line.startsWith('--'));
    expect(statements(sql)).toEqual(statements(first!));
    expect(await exported(folder, 'sql')).toContain('STRICT;');
  });

  test('options go with what they are for', async () => {
    const folder = demoFolder();
    for (const words of [
      ['types', '--compare', 'x'],
      ['openapi', '--code'],
      ['client', '--store', 'sqlite'],
      ['openapi', '--compare', 'a', '--out', 'b'],
    ]) {
      expect(await vantfell(['export', ...words, '-C', folder])).toMatchObject({ code: 2 });
    }
    const nowhere = await vantfell(['export', 'openapi', '-C', folder, '--compare', join(folder, 'none.json')]);
    expect(nowhere).toMatchObject({ code: 3, err: expect.stringContaining('can not be read') });
    const other = await vantfell(['export', 'openapi', '-C', folder, '--compare', join(folder, 'vantfell.yaml')]);
    expect(other).toMatchObject({ code: 1, err: expect.stringContaining('no OpenAPI 3.1 document') });
  });
});
