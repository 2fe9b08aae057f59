// Records of a database as samples: what they make is the same again, and what is masked is nowhere.
import { cpSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import { demoFolder, folderWith, vantfell } from '../kit/program.ts';

const sound = (name: string): string => fileURLToPath(new URL(`../fixtures/sound/${name}`, import.meta.url));

/** A copy of a project, without its database, with other samples where some are given. */
function copyOf(folder: string, samples?: string): string {
  const copy = mkdtempSync(join(tmpdir(), 'vantfell-samples-'));
  cpSync(folder, copy, { recursive: true });
  for (const name of ['data', '.vantfell']) rmSync(join(copy, name), { recursive: true, force: true });
  for (const file of readdirSync(copy)) if (file.includes('.db')) rmSync(join(copy, file));
  if (samples === undefined) return copy;
  rmSync(join(copy, 'samples'), { recursive: true });
  cpSync(samples, join(copy, 'samples'), { recursive: true });
  return copy;
}

const filesIn = (folder: string): Record<string, string> =>
  Object.fromEntries(readdirSync(folder).map((file) => [file, readFileSync(join(folder, file), 'utf8')]));

async function exported(folder: string, ...words: string[]): Promise<Record<string, string>> {
  const out = join(mkdtempSync(join(tmpdir(), 'vantfell-samples-')), 'out');
  const { code, err } = await vantfell(['export', 'samples', '--out', out, ...words, '-C', folder]);
  expect([code, err.includes('error')]).toEqual([0, false]);
  return { ...filesIn(out), folder: out };
}

describe('export samples', () => {
  test.each([
    ['the demo', demoFolder()],
    ['harbour', sound('harbour')],
    ['herbarium', sound('herbarium')],
    ['workshop', sound('workshop')],
    ['cellar', sound('cellar')],
  ])('%s: what is exported, loaded and exported again is the same', async (_name, project) => {
    const first = copyOf(project);
    expect((await vantfell(['seed', '-C', first])).code).toBe(0);
    const { folder, ...files } = await exported(first, '--rows', '10000');
    const second = copyOf(project, folder);
    const seeded = await vantfell(['seed', '-C', second]);
    expect([seeded.code, seeded.err.includes('error')]).toEqual([0, false]);
    const { folder: _again, ...same } = await exported(second, '--rows', '10000');
    expect(same).toEqual(files);
    expect(Object.keys(files).length).toBeGreaterThan(2);
  });

  const MODELS = `
model: group
key: serial
fields: { name: { type: string, required: true, unique: true, maxLength: 20 }, tag: { type: string, from: slug(name) }, note: { type: text, default: none } }
relations: { friends: { with: group }, head: { to: person } }
---
model: person
key: code
fields:
  code: { type: string, required: true, maxLength: 20 }
  email: { type: email, required: true }
  born: { type: date }
  word: { type: secret, required: true, minLength: 9 }
  hint: { type: string, writeOnly: true }
relations: { group: { to: group } }
`;
  const people = Array.from(
    { length: 9 },
    (_none, at) =>
      `planted-${at}: { code: "Secret ${at}, ü", email: planted-${at % 3}@a.example, born: 2001-02-0${at + 1}, ` +
      `word: 123456789-planted, hint: planted, group: g${at} }`,
  ).join('\n');
  const groups = Array.from(
    { length: 9 },
    (_none, at) => `g${at}: { name: Group ${at}, note: null, friends: [g${(at + 1) % 9}] }`,
  ).join('\n');
  const project = (): string =>
    folderWith({
      'vantfell.yaml': 'service: { name: X }\nstore: sqlite:./data.db\n',
      'models/all.yaml': MODELS,
      'samples/people.yaml': people,
      'samples/groups.yaml': groups,
    });

  test('what is masked, and what is never shown, is nowhere; the same stays the same', async () => {
    const folder = project();
    expect(await vantfell(['seed', '-C', folder])).toMatchObject({ code: 0 });
    const out = join(folder, 'out');
    const words = ['--mask', 'person.email', '--mask', 'person.code', '--out', out, '-C', folder];
    const { code, out: said, err } = await vantfell(['export', 'samples', '--json', ...words]);
    expect([code, err]).toEqual([0, expect.not.stringContaining('mask it too')]);
    expect(JSON.parse(said)).toMatchObject({
      written: [
        { model: 'person', records: 9 },
        { model: 'group', records: 9 },
      ],
      cutLinks: {},
      masked: ['person.email', 'person.code'],
      leftOut: ['person.hint'],
      madeUp: { 'person.word': expect.any(String) },
    });
    const files = filesIn(out);
    expect(JSON.stringify(files)).not.toMatch(/planted|Secret/);
    const emails = [...files['people.yaml']!.matchAll(/email: ("[^"]+"|[^ ,]+)/g)].map(([, email]) => email);
    expect([emails.length, new Set(emails).size]).toEqual([9, 3]);
    expect(files['groups.yaml']).toContain('note: null');
    const next = copyOf(folder, out);
    expect((await vantfell(['check', '-C', next])).code).toBe(0);
    expect(await vantfell(['seed', '-C', next])).toMatchObject({ code: 0 });
  });

  test('few rows come with all that they refer to; links to others are told', async () => {
    const folder = project();
    expect(await vantfell(['seed', '-C', folder])).toMatchObject({ code: 0 });
    const out = join(folder, 'out');
    const { code, out: said, err } = await vantfell(['export', 'samples', '--rows', '2', '--out', out, '-C', folder]);
    expect([code, said + err]).toEqual([
      0,
      expect.stringMatching(/group.friends: \d links? to records that were not taken/),
    ]);
    const tags = await vantfell(['export', 'samples', '--mask', 'group.name', '--out', `${out}2`, '-C', folder]);
    expect([tags.code, tags.err]).toEqual([0, expect.stringContaining('group.tag is made of group.name')]);
    expect(filesIn(out)['people.yaml']!.trim().split('\n')).toHaveLength(2);
    const next = copyOf(folder, out);
    expect(await vantfell(['seed', '-C', next])).toMatchObject({ code: 0 });
  });

  test('bad input changes nothing, and says the way out', async () => {
    const folder = project();
    const said = async (...words: string[]): Promise<[number | null, string]> => {
      const { code, err } = await vantfell(['export', 'samples', '-C', folder, ...words]);
      return [code, err];
    };
    expect(await said()).toEqual([1, expect.stringContaining('is there already')]);
    const out = join(folder, 'out');
    const told = await vantfell(['export', 'samples', '--mask', 'group.name', '--out', out, '-C', folder]);
    expect([told.code, told.out]).toEqual([0, expect.stringContaining('no records')]);
    for (const [words, text] of [
      [['--mask', 'persn.email'], 'person'],
      [['--mask', 'person.emial'], 'email'],
      [['--mask', 'person.group_id'], 'handle'],
      [['--mask', 'person.created_at'], 'not in samples'],
      [['--mask', 'constructor.name'], 'no field'],
      [['--mask', 'person.constructor'], 'no field'],
      [['--rows', '0'], 'whole number'],
      [['--rows', 'many'], 'whole number'],
    ] as const) {
      expect([words, ...(await said('--out', out, ...words))]).toEqual([words, 2, expect.stringContaining(text)]);
    }
    expect(existsSync(out)).toBe(false);
    expect((await vantfell(['export', 'sql', '--mask', 'a.b', '-C', folder])).code).toBe(2);
  });
});
