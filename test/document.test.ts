import { spawnSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import { ask, demoFolder, folderWith, serving, vantfell } from './kit/program.ts';

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

const VALIDATORS = fileURLToPath(new URL('kit/validate-document.mjs', import.meta.url));

async function documentOf(folder: string): Promise<Tree> {
  const { out, code } = await vantfell(['export', 'openapi', '-C', folder]);
  expect(code).toBe(0);
  return JSON.parse(out) as Tree;
}

/** What each validator says of a document. */
function verdicts(document: Tree): Record<string, string> {
  const { stdout, stderr } = spawnSync(process.execPath, [VALIDATORS], { input: JSON.stringify(document) });
  expect(stderr.toString()).toBe('');
  return JSON.parse(stdout.toString()) as Record<string, string>;
}

describe.each([
  ['the demo', demoFolder],
  ['a project with every type and rule', () => folderWith(EVERYTHING)],
])('the OpenAPI document of %s', (_name, folder) => {
  test('is valid for three independent validators, and its schemas compile', async () => {
    const document = await documentOf(folder());
    expect(document.openapi).toBe('3.1.0');
    expect(verdicts(document)).toEqual({
      'swagger-parser': 'valid',
      'openapi-schema-validator': 'valid',
      'json-schema': 'valid',
      schemas: 'valid',
    });
  });

  test('refers to nothing that is missing, and holds nothing that is unused', async () => {
    const document = await documentOf(folder());
    const text = JSON.stringify(document);
    const used = new Set([...text.matchAll(/"\$ref":"#\/components\/([^"]+)"/g)].map(([, name]) => name));
    const components = document.components as Record<string, Tree>;
    const held = Object.entries(components).flatMap(([kind, entries]) =>
      Object.keys(entries).map((name) => `${kind}/${name}`),
    );
    const operations = Object.values(document.paths as Record<string, Tree>).flatMap((path) => Object.values(path));
    for (const { security = [] } of [document, ...operations] as { security?: object[] }[]) {
      for (const name of security.flatMap((one) => Object.keys(one))) used.add(`securitySchemes/${name}`);
    }
    expect([...used].sort()).toEqual(held.sort());
    const ids = [...text.matchAll(/"operationId":"([^"]+)"/g)].map(([, id]) => id);
    expect(new Set(ids).size).toBe(ids.length);
  });
});

test('validators find a broken document', async () => {
  const document = await documentOf(demoFolder());
  const [path] = Object.keys(document.paths as Tree);
  const broken = { ...document, paths: { [path!]: { get: { responses: { 200: {} }, parameters: [{ name: 'x' }] } } } };
  const said = verdicts(broken);
  expect(said['swagger-parser']).toContain('invalid');
  expect(said['openapi-schema-validator']).toContain('invalid');
  expect(said['json-schema']).toContain('invalid');
});

test('the served document is the exported one', async () => {
  const folder = demoFolder();
  const server = await serving(folder);
  expect((await ask(`${server.url}/openapi.json`)).body).toEqual(await documentOf(folder));
});

test('every type and rule holds up in a trial of its own', async () => {
  const ran = await vantfell(['trial', '-C', folderWith(EVERYTHING)]);
  expect(ran.out).toMatch(/ passed, 0 failed/);
  expect(ran.code).toBe(0);
});
