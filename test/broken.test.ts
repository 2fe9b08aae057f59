import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@jest/globals';
import { folderWith, vantfell } from './kit/program.ts';

const folder = fileURLToPath(new URL('./broken', import.meta.url));

/** `UPDATE_BROKEN=1` writes what the program says now; read every line of it before you keep it. */
test('a project with dozens of mistakes: every one at its place, with its remedy, in one run', async () => {
  const ran = await vantfell(['check', '-C', folder]);
  expect(ran).toMatchObject({ code: 1, err: '' });
  const file = join(folder, 'expected.txt');
  if (process.env.UPDATE_BROKEN === '1') writeFileSync(file, ran.out);
  expect(ran.out).toBe(readFileSync(file, 'utf8'));
  const codes = new Set([...ran.out.matchAll(/^[\w/]+\.yaml:\d+:\d+ {2}([a-z-]+)$/gm)].map(([, code]) => code));
  expect(codes.size).toBeGreaterThan(30);
});

test('a check of 500 models takes 1.5 s at most, the start of the program included', async () => {
  const one = (n: number) => `model: part-${n}
owner: keeper
label: '{name} of {up.name}'
sort: -size,name
fields:
  name: { type: string, required: true, trim: true, maxLength: 60, pattern: '^[a-z]+( [a-z]+)*$' }
  slug: { type: string, from: slug(name), unique: true }
  size: { type: integer, minimum: 0, maximum: 100 }
  price: { type: decimal, default: '0.00' }
  tags: { type: array, items: { type: string, maxLength: 20 }, uniqueItems: true }
  place: { type: object, properties: { x: { type: number }, y: { type: number } } }
relations:
  keeper: { to: member }
  up: { to: part-${(n * 7) % 499} }
  downs: { from: part-${[...Array(499).keys()].find((m) => (m * 7) % 499 === n)}.up }
computed:
  total: { type: decimal, value: price * size }
rules:
  - { check: "size > 0 OR name LIKE 'a%'", message: must be more }
may: { read: signed-in, create: signed-in, update: [owner, { where: "size = 0 AND tags IS NULL" }], delete: owner }
views: { card: [id, name, up.name] }
`;
  const models = Object.fromEntries([...Array(499).keys()].map((n) => [`models/part-${n}.yaml`, one(n)]));
  const project = folderWith({
    'vantfell.yaml': 'service: { name: X }\nidentity: { model: member, login: email, secret: word }\n',
    'models/member.yaml': 'model: member\nfields: { email: { type: email, required: true, unique: true }, word: { type: secret } }\n', // prettier-ignore
    ...models,
  });
  const runs: number[] = [];
  for (let run = 0; run < 3; run += 1) {
    const start = performance.now();
    const { code, out } = await vantfell(['check', '-C', project]);
    runs.push(performance.now() - start);
    expect({ code, end: out.split('\n').at(-2) }).toMatchObject({ code: 0, end: expect.stringContaining('sound: X, 500 models') as unknown }); // prettier-ignore
  }
  expect(Math.min(...runs)).toBeLessThan(1500);
}, 60_000);
