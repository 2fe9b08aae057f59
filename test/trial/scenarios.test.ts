import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { matchFaults } from '../../src/core/trial/match.ts';
import { readScenarios } from '../../src/core/trial/scenarios.ts';
import { readProject } from '../../src/project/project.ts';
import { ask, demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';

describe('matching', () => {
  const kept = new Map<string, unknown>([['n', 3]]);
  test.each<[string, unknown, unknown, string | undefined]>([
    ['members that are not named', { a: 1 }, { a: 1, b: 2 }, undefined],
    ['another value', { a: { b: 1 } }, { a: { b: 2 } }, '/a/b'],
    ['a list that is shorter', [1], [1, 2], 'the body'],
    ['items of a list', [{ a: 1 }, {}], [{ a: 1 }, { b: 2 }], undefined],
    ['matches', { a: { matches: '^x+$' } }, { a: 'xxx' }, undefined],
    ['matches not', { a: { matches: '^x+$' } }, { a: 'xy' }, '/a'],
    ['above', { a: { above: 2 } }, { a: 3 }, undefined],
    ['above not', { a: { above: 3 } }, { a: 3 }, '/a'],
    ['above, of a decimal', { a: { above: 2 } }, { a: '2.50' }, undefined],
    ['below', { a: { below: 2 } }, { a: 3 }, '/a'],
    ['between', { a: { between: [1, 3] } }, { a: 3 }, undefined],
    ['between not', { a: { between: [1, 3] } }, { a: 'x' }, '/a'],
    ['length', { a: { length: 2 } }, { a: [1, 2] }, undefined],
    ['length not', { a: { length: 2 } }, { a: 'abc' }, '/a'],
    ['contains', { a: { contains: { b: 1 } } }, { a: [{ b: 2 }, { b: 1, c: 3 }] }, undefined],
    ['contains not', { a: { contains: 'z' } }, { a: 'xy' }, '/a'],
    ['any', { a: { any: true } }, { a: null }, undefined],
    ['any not', { a: { any: true } }, {}, '/a'],
    ['missing', { a: { missing: true } }, {}, undefined],
    ['missing not', { a: { missing: true } }, { a: null }, '/a'],
    ['same-as', { a: { 'same-as': 'n' } }, { a: 3 }, undefined],
    ['same-as not', { a: { 'same-as': 'n' } }, { a: 4 }, '/a'],
  ])('%s', (_what, wanted, value, place) => {
    expect(matchFaults(wanted, value, '', kept).map(({ what }) => what)).toEqual(place === undefined ? [] : [place]);
  });
});

test('mistakes in scenarios are told together, with their places', () => {
  const { graph } = readProject(demoFolder());
  const text = `trial: Wrong
as: member/toor
step: []
steps:
  - send: FETCH /v1/huts
---
trial: Wrong too
as: hut/grey-hut
steps:
  - { send: 'GET /v1/huts/{hut/gray-hut}', expect: { stats: 200 } }
  - { send: GET /v1/huts, record: night/x }
  - { record: nigt/x, expect: {} }
  - { send: POST /v1/stays, body: { night_id: { sample: night/none } } }
`;
  const keys = new Map([
    ['member/tor', 'k1'],
    ['hut/grey-hut', 'k2'],
  ]);
  const { cases, problems } = readScenarios(graph!, [{ file: 'trials/x.yaml', text }], keys);
  expect(cases).toEqual([]);
  expect(problems.map(({ code, place: { line }, remedy }) => `${line} ${code}: ${remedy}`)).toEqual([
    '3 unknown-key: did you mean steps?',
    '5 wrong-kind: write a method and a path, as GET /v1/huts',
    '8 unknown-record: name a member, as member/…',
    '10 unknown-key: did you mean status?',
    '10 unknown-record: did you mean hut/grey-hut?',
    '11 wrong-kind: write one of send, together and record',
    expect.stringMatching(/^12 unknown-model/),
    expect.stringMatching(/^13 unknown-record/),
  ]);
});

test('scenarios run beside derived cases, each on the samples as they are; reports tell of all', async () => {
  const folder = folderWith({
    'vantfell.yaml': 'service: { name: Tea House }\n',
    'models/tea.yaml':
      'model: tea\nfields: { name: { type: string, required: true, unique: true }, ' +
      'grams: { type: integer, required: true, minimum: 0 } }\n',
    'samples/teas.yaml': 'mist: { name: Mist, grams: 40 }\nember: { name: Ember, grams: 7 }\n',
    'trials/tea.yaml': `trial: Tea is drunk
steps:
  - { send: 'PATCH /teas/{tea/mist}', body: { grams: 30 }, expect: { status: 200 }, keep: { left: /data/grams, name: /data/name } }
  - { record: tea/mist, expect: { grams: { same-as: left }, name: { same-as: name } } }
---
trial: It is as much as before
steps:
  - { record: tea/mist, expect: { grams: 40 } }
  - { send: 'DELETE /teas/{tea/mist}', expect: { status: 204 } }
  - { record: tea/mist, expect: { missing: true } }
---
trial: One of them is wrong
steps:
  - { send: 'GET /teas/{tea/ember}', expect: { status: 200, body: { data: { grams: { above: 7 } } }, headers: { etag: { matches: '^"' } } } }
`,
  });
  const files = ['html', 'xml', 'json'].map((end) => join(folder, `result.${end}`));
  const ran = await vantfell(['trial', '-C', folder, '--random', '3', ...files.flatMap((file) => ['--report', file])]);
  expect(ran.code).toBe(1);
  expect(ran.out).toMatch(/passed Tea is drunk tea.yaml/);
  expect(ran.out).toMatch(/passed It is as much as before/);
  expect(ran.out).toMatch(
    /failed One of them is wrong\n {2}\/data\/grams: expected more than 7, got 7\n {2}sent +curl -X GET/,
  );
  expect(ran.out).toMatch(/covered: 6 of 6 endpoints, \d+ of \d+ statuses, (\d+) of \1 rules/);
  expect(ran.out).toMatch(/\n\d+ passed, 1 failed in/);
  const [html, xml, json] = files.map((file) => readFileSync(file, 'utf8')) as [string, string, string];
  expect(html).toContain('<h1>1 of ');
  expect(html).toContain('expected  more than 7');
  expect(html).not.toMatch(/src=|href=|@import|url\(/);
  expect(xml).toMatch(/<testsuite name="tea.yaml" tests="3" failures="1" skipped="0"/);
  expect(xml).toContain('<failure message="/data/grams: expected more than 7, got 7">');
  const whole = JSON.parse(json) as { passed: number; failed: number; cases: { title: string; passed: boolean }[] };
  expect(whole.failed).toBe(1);
  expect(whole.cases).toHaveLength(whole.passed + 1);
  writeFileSync(join(folder, 'trials/tea.yaml'), 'trial: x\nsteps: [{ send: GET /teas, as: tea/mist }]\n');
  const wrong = await vantfell(['trial', '-C', folder]);
  expect(wrong).toMatchObject({ code: 1, err: expect.stringContaining('nobody signs in to this service') });
  expect(await vantfell(['trial', '-C', folder, '--report', 'x.pdf'])).toMatchObject({ code: 2 });
});

test('scenarios run against a service that runs already, with the keys that are told', async () => {
  const folder = demoFolder();
  writeFileSync(
    join(folder, 'trials/beds.yaml'),
    'trial: It is there\nas: member/tor\nsteps:\n' +
      "  - { send: 'GET /v1/huts/{hut/grey-hut}', expect: { status: 200 } }\n" +
      "  - { send: 'GET /v1/amenities/{amenity/stove}', expect: { status: 200 } }\n" +
      '  - { send: GET /v1/me, expect: { body: { data: { name: Tor Brattlid } } } }\n',
  );
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const server = await serving(folder);
  const against = (...words: string[]) => vantfell(['trial', '-C', folder, '--against', server.url, ...words]);
  expect(await against()).toMatchObject({ code: 1, err: expect.stringContaining('name it in the file of --handles') });
  const [grey] = (await ask(`${server.url}/v1/huts?slug=grey-hut`)).body.data as { id: string }[];
  writeFileSync(join(folder, 'handles.json'), JSON.stringify({ 'hut/grey-hut': grey!.id }));
  const ran = await against('--handles', join(folder, 'handles.json'));
  expect(ran).toMatchObject({ code: 0, out: expect.stringContaining('1 passed, 0 failed') });
  writeFileSync(
    join(folder, 'trials/more.yaml'),
    'trial: It is there still\nsteps:\n' +
      '  - { record: hut/grey-hut, expect: { name: nothing of it } }\n' +
      "  - { send: 'GET /v1/huts', expect: { status: 200 } }\n",
  );
  const partly = await against('--handles', join(folder, 'handles.json'));
  expect(partly).toMatchObject({ code: 0, out: expect.stringContaining('2 passed, 0 failed') });
  expect(partly.out).toContain('skipped more.yaml: It is there still (its step that looks at a record is left out)');
  expect(await server.stop()).toBe(0);
  rmSync(join(folder, 'trials/more.yaml'));
  expect(await against('--handles', join(folder, 'handles.json'))).toMatchObject({
    code: 3,
    err: expect.stringContaining('nothing answers at'),
  });
});
