import { expect, test } from '@jest/globals';
import { compile } from '../compile.ts';
import { readsWhatItWrites } from './open.ts';

const SERVICE = 'service: { name: A }\nidentity: { model: member, login: name, secret: word, roles: roles }\n';

/** A hut with its warden, nights below it, and reviews of nights that are not below them. */
function models(hut: string, night: string, review: string): string {
  return (
    'model: member\nfields: { name: { type: string, unique: true, required: true }, ' +
    'word: { type: secret, required: true }, roles: { type: array, items: { enum: [boss, clerk] } } }\n' +
    'may: { read: signed-in, create: anybody }\n' +
    `---\nmodel: hut\nowner: warden\nrelations: { warden: { to: member, required: true } }\nmay: { ${hut} }\n` +
    `---\nmodel: night\nwithin: hut\nmay: { ${night} }\n` +
    '---\nmodel: review\nowner: by\n' +
    'relations: { by: { to: member, required: true }, night: { to: night, required: true } }\n' +
    `may: { ${review} }\n`
  );
}

const HUT = 'read: [owner, role:boss], create: role:boss, update: owner';

test.each<[what: string, model: string, expected: readonly boolean[], parts: readonly [string, string, string]]>([
  [
    'a maker without a role owns it',
    'review',
    [true, true],
    [HUT, '', 'read: owner, create: signed-in, update: owner'],
  ],
  [
    'a role makes it for others',
    'review',
    [false, true],
    [HUT, '', 'read: owner, create: [signed-in, role:boss], update: owner'],
  ],
  [
    'the same role reads it',
    'review',
    [true, true],
    [HUT, '', 'read: [owner, role:boss], create: role:boss, update: owner'],
  ],
  [
    'another role reads it',
    'review',
    [false, false],
    [HUT, '', 'read: [owner, role:boss], create: role:clerk, update: role:clerk'],
  ],
  ['a part is read as its whole is', 'night', [true, true], [HUT, '', '']],
  ['a role is signed in', 'night', [true, true], [HUT, 'read: signed-in, create: role:boss, update: hut.warden', '']],
  [
    'a part is read by fewer than its whole',
    'night',
    [false, false],
    [HUT, 'read: role:clerk, create: owner, update: owner', ''],
  ],
  [
    'the part’s owner is the whole’s',
    'night',
    [true, true],
    [HUT, 'read: owner, create: hut.warden, update: hut.warden', ''],
  ],
  [
    'an owner along a path',
    'review',
    [true, true],
    [HUT, '', 'read: night.hut.warden, create: night.hut.warden, update: night.hut.warden'],
  ],
  [
    'their own path among others',
    'review',
    [true, true],
    [HUT, '', 'read: [by, night.hut.warden], create: signed-in, update: by'],
  ],
  [
    'everybody by a condition',
    'review',
    [false, false],
    [HUT, '', 'read: { where: by_id = me() }, create: signed-in, update: signed-in'],
  ],
])('who makes or changes a record may read it: %s', (_what, name, expected, parts) => {
  const { graph, problems } = compile({
    service: { file: 'vantfell.yaml', text: SERVICE },
    models: [{ file: 'm', text: models(...parts).replaceAll('may: {  }\n', '') }],
    environment: {},
  });
  expect(problems.filter(({ severity }) => severity === 'error')).toEqual([]);
  const model = graph!.byName.get(name)!;
  expect((['create', 'update'] as const).map((act) => readsWhatItWrites(graph!, model, act))).toEqual(expected);
});
