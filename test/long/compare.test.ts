import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { compile } from '../../src/core/compile.ts';
import { compareDocuments } from '../../src/core/document/compare/documents.ts';
import { openApi } from '../../src/core/document/openapi.ts';
import { demoFolder, vantfell } from '../kit/program.ts';
import { projects } from '../kit/projects.ts';

const MODEL = `
model: hut
fields:
  name: { type: string, required: true, maxLength: 60 }
  valley: { enum: [Askdal, Brattdal], required: true }
  beds: { type: integer, required: true, minimum: 1, maximum: 120 }
  about: { type: text }
  spot: { type: object, properties: { x: { type: number } } }
  tags: { type: array, items: { type: string }, maxItems: 4 }
relations: { keeper: { to: member } }
computed: { bunks: { type: integer, value: beds * 2 } }
views: { card: [id, name] }
operations: { sweep: { input: { how: { type: string } }, output: { dust: { type: integer } } } }
---
model: member
fields: { name: { type: string } }
relations: { huts: { from: hut.keeper } }
`;
const SIGNED =
  'service: { name: Huts }\nkey: kkkkkkkkkkkkkkkkkkkkkkkkkkkkkkkkkk\n' +
  'identity: { model: member, login: login, secret: word, roles: roles }\n';
const PEOPLE = MODEL.replace(
  'fields: { name: { type: string } }',
  'fields: { name: { type: string }, login: { type: string, required: true, unique: true }, ' +
    'word: { type: secret }, roles: { type: array, items: { type: string } } }',
);

function documentOf(model: string, service = 'service: { name: Huts }'): Record<string, unknown> {
  const { graph, problems } = compile({
    service: { file: 's', text: service },
    models: [{ file: 'm', text: model }],
    environment: {},
  });
  if (graph === undefined) throw new Error(JSON.stringify(problems));
  return openApi(graph);
}

describe('comparing documents', () => {
  const before = documentOf(MODEL);

  test('one that is as it was has changed nothing', () => {
    expect(compareDocuments(before, structuredClone(before))).toEqual([]);
  });

  /** What is replaced in the model, and what is told of it: a part of the text, and where. */
  test.each<[string, string, string, 'breaking' | 'harmless', string]>([
    ['a field that is gone', '  about: { type: text }\n', '', 'breaking', 'in requests: Hut.create /about is gone'],
    [
      'a field that is gone from answers',
      '  about: { type: text }\n',
      '',
      'breaking',
      'in answers: Hut /about is gone',
    ],
    [
      'a field that is new',
      '  about:',
      '  phone: { type: string }\n  about:',
      'harmless',
      'in requests: Hut.create /phone is new',
    ],
    [
      'a field that must be given',
      '  about:',
      '  phone: { type: string, required: true }\n  about:',
      'breaking',
      'in requests: Hut.create /phone is new, and must be given',
    ],
    [
      'a field that must be given now',
      'about: { type: text }',
      'about: { type: text, required: true }',
      'breaking',
      'in requests: Hut.create /about must be given now',
    ],
    [
      'a field that need not be given any more',
      'name: { type: string, required: true, maxLength: 60 }',
      'name: { type: string, maxLength: 60 }',
      'breaking',
      'in answers: Hut /name may be null now',
    ],
    [
      'the same, on the way in',
      'name: { type: string, required: true, maxLength: 60 }',
      'name: { type: string, maxLength: 60 }',
      'harmless',
      'in requests: Hut.create /name need not be given now',
    ],
    ['a tighter bound', 'minimum: 1', 'minimum: 2', 'breaking', 'in requests: Hut.create /beds at least 2 now, was 1'],
    [
      'a looser bound',
      'maximum: 120',
      'maximum: 150',
      'harmless',
      'in requests: Hut.create /beds at most 150 now, was 120',
    ],
    [
      'a shorter text',
      'maxLength: 60',
      'maxLength: 40',
      'breaking',
      'in requests: Hut.create /name characters or fewer: 40 now, was 60',
    ],
    [
      'a choice less',
      '[Askdal, Brattdal]',
      '[Askdal]',
      'breaking',
      'in requests: Hut.valley can not be "Brattdal" any more',
    ],
    [
      'a choice more, in answers',
      '[Askdal, Brattdal]',
      '[Askdal, Brattdal, Sulvik]',
      'breaking',
      'in answers: Hut.valley may be "Sulvik" too',
    ],
    [
      'a choice more, in bodies',
      '[Askdal, Brattdal]',
      '[Askdal, Brattdal, Sulvik]',
      'harmless',
      'in requests: Hut.valley may be "Sulvik" too',
    ],
    [
      'another type',
      'about: { type: text }',
      'about: { type: integer }',
      'breaking',
      'in answers: Hut /about is integer or null now',
    ],
    [
      'another form',
      'about: { type: text }',
      'about: { type: date }',
      'breaking',
      'in answers: Hut /about format is "date" now',
    ],
    [
      'a part of an object',
      '{ x: { type: number } }',
      '{ y: { type: number } }',
      'breaking',
      'in requests: Hut.spot /x is gone',
    ],
    ['fewer items', 'maxItems: 4', 'maxItems: 2', 'breaking', 'in requests: Hut.tags items or fewer: 2 now, was 4'],
    [
      'items of another type',
      'items: { type: string }',
      'items: { type: integer }',
      'breaking',
      'in answers: Hut.tags /0 is integer now',
    ],
    ['a relation by another name', 'huts: { from', 'houses: { from', 'breaking', 'in answers: Member /huts is gone'],
    [
      'a view that is gone',
      'views: { card: [id, name] }\n',
      '',
      'breaking',
      'parameter view: can not be "card" any more',
    ],
    [
      'a view that is new',
      'views: { card: [id, name] }',
      'views: { card: [id, name], tiny: [id] }',
      'harmless',
      'answer 200: the view tiny is new',
    ],
    [
      'another view of lists',
      'card: [id, name]',
      'card: [id, name], list: card',
      'breaking',
      'parameter view, left out, means "card" now',
    ],
    [
      'an order that is gone',
      'computed: { bunks: { type: integer, value: beds * 2 } }\n',
      '',
      'breaking',
      'parameter sort: can not be "bunks", "-bunks" any more',
    ],
    ['an endpoint that is gone', 'views:', 'endpoints: [list, read, create]\nviews:', 'breaking', 'is gone'],
    ['an endpoint that is new', 'views:', 'journal: true\nviews:', 'harmless', 'is new'],
    [
      'an operation that takes more',
      'how: { type: string }',
      'how: { type: string, required: true }',
      'breaking',
      'in requests: Hut.sweep.input /how must be given now',
    ],
    [
      'an operation that answers less',
      'dust: { type: integer }',
      'dirt: { type: integer }',
      'breaking',
      'in answers: Hut.sweep.output /dust is gone',
    ],
    [
      'what is growing old',
      'about: { type: text }',
      'about: { type: text, deprecated: true }',
      'harmless',
      'in answers: Hut /about is deprecated now',
    ],
    ['words', 'about: { type: text }', 'about: { type: text, description: What it is like. }', 'harmless', ''],
    [
      'If-Match that must be sent',
      'views:',
      'conditional: required\nviews:',
      'breaking',
      'header If-Match must be given now',
    ],
  ])('%s', (_what, from, to, kind, told) => {
    expect(MODEL).toContain(from);
    const after = documentOf(MODEL.replace(from, to));
    const changes = compareDocuments(before, after);
    if (told === '') return expect(changes).toEqual([]);
    const found = changes.filter(({ what }) => what.includes(told));
    expect({ told, changes, found: found.map(({ breaking }) => (breaking ? 'breaking' : 'harmless')) }).toMatchObject({
      found: [kind],
    });
  });

  test('who must sign in, and who need not', () => {
    const open = documentOf(`${PEOPLE.replace('views:', 'may: { read: anybody }\nviews:')}`, SIGNED);
    const closed = documentOf(`${PEOPLE.replace('views:', 'may: { read: signed-in }\nviews:')}`, SIGNED);
    expect(compareDocuments(open, closed)).toContainEqual({
      breaking: true,
      what: 'is not for those who are not signed in any more',
      where: expect.arrayContaining(['GET /huts']) as never,
    });
    expect(compareDocuments(closed, open)).toContainEqual({
      breaking: false,
      what: 'is for those who are not signed in too',
      where: expect.arrayContaining(['GET /huts']) as never,
    });
  });

  test('documents of any projects are compared, and with themselves they have not changed', () => {
    const documents = fc.sample(projects, { numRuns: 30, seed: 9 }).map(({ graph }) => openApi(graph));
    for (const [at, document] of documents.entries()) {
      expect(compareDocuments(document, structuredClone(document))).toEqual([]);
      const other = documents[(at + 1) % documents.length]!;
      const [there, back] = [compareDocuments(document, other), compareDocuments(other, document)];
      expect(there.length > 0).toBe(back.length > 0);
    }
  });
});

test('the command tells what has changed since, and 1 where it breaks clients', async () => {
  const folder = demoFolder();
  const old = join(folder, 'old.yaml');
  expect((await vantfell(['export', 'openapi', '-C', folder, '--out', old])).code).toBe(0);
  const same = await vantfell(['export', 'openapi', '-C', folder, '--compare', old]);
  expect(same).toMatchObject({ code: 0, out: `nothing has changed since ${old}\n` });
  const file = join(folder, 'models/hut.yaml');
  const text = readFileSync(file, 'utf8');
  writeFileSync(file, text.replace('  winter_room:', '  wifi: { type: boolean }\n  winter_room:'));
  const harmless = await vantfell(['export', 'openapi', '-C', folder, '--compare', old]);
  expect(harmless.code).toBe(0);
  expect(harmless.out).toContain('in requests: Hut.create /wifi is new');
  expect(harmless.out).toMatch(/\n0 changes that break clients, \d+ harmless\n$/);
  writeFileSync(file, text.replace('  winter_room: { type: boolean, default: false }\n', ''));
  const breaking = await vantfell(['export', 'openapi', '-C', folder, '--compare', old]);
  expect(breaking.code).toBe(1);
  expect(breaking.out).toMatch(/^breaks clients\n/);
  expect(breaking.out).toMatch(/in requests: Hut\.create \/winter_room is gone +POST \/v1\/huts\n/);
  const json = JSON.parse((await vantfell(['export', 'openapi', '-C', folder, '--compare', old, '--json'])).out) as {
    breaking: object[];
  };
  expect(json.breaking).toContainEqual({
    breaking: true,
    what: 'parameter winter_room is gone',
    where: ['GET /v1/huts'],
  });
});
