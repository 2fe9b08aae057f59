import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** A project of so many models, each with fields, relations, expressions and grants that lead to others. */
export function writeLargeProject(folder, count) {
  const others = count - 1;
  const up = (n) => (n * 7 + 1) % others;
  const one = (n) => `model: part-${n}
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
  up: { to: part-${up(n)} }
computed:
  total: { type: decimal, value: price * size }
rules:
  - { check: "size > 0 OR name LIKE 'a%'", message: must be more }
may: { read: signed-in, create: signed-in, update: [owner, { where: "size = 0 AND tags IS NULL" }], delete: owner }
views: { card: [id, name, up.name] }
`;
  mkdirSync(join(folder, 'models'), { recursive: true });
  const write = (file, text) => writeFileSync(join(folder, file), text);
  write('vantfell.yaml', 'service: { name: Large }\nidentity: { model: member, login: email, secret: word }\n');
  write(
    'models/member.yaml',
    'model: member\nfields: { email: { type: email, required: true, unique: true }, word: { type: secret } }\n',
  );
  for (let n = 0; n < others; n += 1) write(`models/part-${n}.yaml`, one(n));
}
