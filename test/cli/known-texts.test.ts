// What is kept of unchanged declarations, so that they need not be read again: the outcome is the same with it.
import { existsSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { readProject } from '../../src/project/project.ts';
import { folderWith } from '../kit/program.ts';

const SERVICE = 'service: { name: "Huts of ${VANTFELL_PLACE:-here}" }\n';
/** A warning in the second document, one inside of a text, and every kind of value. */
const MODEL = `
model: hut
fields:
  name: { type: string, examples: [Grey Hut, 'Küstenhütte ☃', "a\\tb"] }
  beds: { type: integer, minimum: 0, default: 4 }
  height: { type: number, maximum: 1.5e3, default: null }
  open: { type: boolean, default: true }
---
model: night
fields: { limit: { type: integer } }
`;

const kept = (folder: string): string => join(folder, '.vantfell/read.json');
const outcome = (folder: string): string => {
  const { graph, problems } = readProject(folder);
  const models = graph?.models.map(({ name, fields }) => [name, fields.map(({ member, rules }) => [member, rules])]);
  return JSON.stringify([models, problems]);
};

test('a project is read alike from what is kept, its warnings and their places included', () => {
  const folder = folderWith({ 'vantfell.yaml': SERVICE, 'models/all.yaml': MODEL });
  const first = outcome(folder);
  expect(first).toContain('named-like-parameter');
  expect(existsSync(kept(folder))).toBe(true);
  const before = readFileSync(kept(folder), 'utf8');
  // What the environment fills in may be a secret: it is not kept, and what is written out is for its owner alone.
  expect(before).toContain('${VANTFELL_PLACE:-here}');
  expect(statSync(kept(folder)).mode & 0o777).toBe(0o600);
  for (let again = 0; again < 3; again += 1) expect(outcome(folder)).toBe(first);
  expect(readFileSync(kept(folder), 'utf8')).toBe(before);
});

test('another text is read anew: an error has its place, also where the rest is known', () => {
  const folder = folderWith({ 'vantfell.yaml': SERVICE, 'models/all.yaml': MODEL });
  outcome(folder);
  writeFileSync(join(folder, 'models/all.yaml'), MODEL.replace('type: boolean', 'type: boolaen'));
  const wrong = outcome(folder);
  expect(wrong).toContain('"line":7');
  expect(outcome(folder)).toBe(wrong);
  writeFileSync(join(folder, 'models/other.yaml'), 'model: hut\n');
  writeFileSync(join(folder, 'models/all.yaml'), MODEL);
  // The other model of that name is an error in a text that was known to be sound.
  expect(outcome(folder)).toContain('"file":"models/other.yaml"');
});

test('places that are none are worked out again', () => {
  const folder = folderWith({ 'vantfell.yaml': SERVICE, 'models/all.yaml': MODEL });
  const first = outcome(folder);
  const whole = readFileSync(kept(folder), 'utf8');
  for (const spot of ['5', 'null', '[1,2]', '[1,2,"3",4]', '{}']) {
    writeFileSync(kept(folder), whole.replaceAll(/\[\d+,\d+,\d+,\d+\]/g, spot));
    expect(outcome(folder)).toBe(first);
  }
});

test('what is kept and can not be read is nothing, and a number that JSON lacks is not kept', () => {
  const folder = folderWith({
    'vantfell.yaml': SERVICE,
    'models/all.yaml': 'model: hut\nfields: { n: { type: number, examples: [-0.0, .inf] } }\n',
  });
  const first = outcome(folder);
  expect(outcome(folder)).toBe(first);
  for (const text of ['', 'null', '[]', '{"form":1}', '{"form":0,"texts":{}}', '{"form":1,"texts":{"a":[1]}}']) {
    writeFileSync(kept(folder), text);
    expect(outcome(folder)).toBe(first);
  }
});
