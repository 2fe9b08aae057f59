import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@jest/globals';
import { randomProject } from '../kit/random-project.ts';
import { dropProject, errorsIn, tryProject, writeProject } from '../kit/try-project.ts';
import { kinds, testDatabases } from '../kit/databases.ts';
import type { StoreKind } from '../../src/core/model/service.ts';

const SCHEMA = fileURLToPath(new URL('../../dist/schemas/model.schema.json', import.meta.url));
const databaseFor = testDatabases();

/** Other projects each time; a failure names the seed that makes its project again. */
const SEED = Number(process.env.VANTFELL_SEED ?? Date.now() % 1_000_000_000);

const all = { cases: 0, beside: 0 };

/** Tries so many sound projects. Few that are made up are not sound: they would show what others may not see. */
async function trySome(count: number, from: number, kind: StoreKind): Promise<void> {
  let [tried, unsound, cases, beside] = [0, 0, 0, 0];
  for (let seed = from; tried < count; seed += 1) {
    const folder = writeProject(randomProject(seed).files);
    try {
      if (errorsIn(folder).length > 0) {
        unsound += 1;
        continue;
      }
      tried += 1;
      const database = kind === 'sqlite' ? undefined : await databaseFor(kind, `random_${seed}`);
      const { outcomes, failures, defects } = await tryProject(folder, database);
      expect([seed, failures, defects]).toEqual([seed, [], []]);
      cases += outcomes.length;
      beside += outcomes.filter((one) => one.notEstablished !== undefined).length;
    } finally {
      dropProject(folder);
    }
  }
  expect(unsound).toBeLessThan(count / 5);
  expect(cases).toBeGreaterThan(count * 100);
  // What can't be established is the exception, among all projects so far: few say little.
  all.cases += cases;
  all.beside += beside;
  expect(all.beside / all.cases).toBeLessThan(0.01);
}

test.each([1, 2, 3])(
  'random projects pass their derived cases on SQLite, nine of them, number %i',
  async (part) => {
    await trySome(9, SEED + part * 1_000_000, 'sqlite');
  },
  1_200_000,
);

test.each(kinds.filter((kind) => kind !== 'sqlite'))(
  'random projects pass their derived cases on %s',
  async (kind) => {
    await trySome(5, SEED + 9_000_000, kind);
  },
  1_200_000,
);

interface Schema {
  readonly $ref?: string;
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly additionalProperties?: Schema | boolean;
  readonly items?: Schema;
  readonly enum?: readonly string[];
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
}

/** Every entry of the model language, as `.relations.*.onDelete`; those of a value stand under `value`. */
function entriesIn(schema: Schema, root: { readonly $defs: Readonly<Record<string, Schema>> }, at: string): string[] {
  if (schema.$ref !== undefined) {
    const name = schema.$ref.split('/').at(-1)!;
    const isValue = ['field', 'item', 'property'].includes(name);
    return isValue && at.startsWith('value') ? [] : entriesIn(root.$defs[name]!, root, isValue ? 'value' : at);
  }
  const own = Object.entries(schema.properties ?? {}).flatMap(([name, one]) => {
    const isIn = at === 'value' && ['items', 'properties'].includes(name);
    return [`${at}.${name}`, ...(isIn ? [] : entriesIn(one, root, `${at}.${name}`))];
  });
  const more = typeof schema.additionalProperties === 'object' ? [schema.additionalProperties] : [];
  const all = [...more, ...(schema.items === undefined ? [] : [schema.items])].flatMap((one) =>
    entriesIn(one, root, `${at}.*`),
  );
  return [
    ...own,
    ...all,
    ...[...(schema.anyOf ?? []), ...(schema.oneOf ?? [])].flatMap((one) => entriesIn(one, root, at)),
  ];
}

/** The same of a model that was made up. */
function entriesOf(value: unknown, at: string): string[] {
  if (Array.isArray(value)) return value.flatMap((one) => entriesOf(one, `${at}.*`));
  if (typeof value !== 'object' || value === null) return [];
  return Object.entries(value).flatMap(([name, one]) => [`${at}.${name}`, ...entriesOf(one, `${at}.${name}`)]);
}

/** Names that developers give stand for any: a field of a model, a role, an input. */
const MAPS = new RegExp(
  '^\\.(fields|relations|computed|operations|operations\\.\\*\\.(input|output)|' +
    'may\\.(fields|set)|views|trial\\.example)\\.([^.]+)',
);
const general = (entry: string): string => entry.replace(MAPS, (_all, map: string) => `.${map}.*`);

test('the generator of projects covers every entry of the model language', () => {
  const root = JSON.parse(readFileSync(SCHEMA, 'utf8')) as Schema & { $defs: Record<string, Schema> };
  const wanted = new Set(entriesIn(root, root, ''));
  const made = new Set<string>();
  for (let seed = 1; seed <= 1_500; seed += 1) {
    for (const model of randomProject(seed).models) {
      for (const entry of entriesOf(model, '')) {
        const plain = general(entry);
        made.add(plain);
        const inside = /^\.(?:fields\.\*|operations\.\*\.(?:input|output)\.\*)\.(.+)$/.exec(plain)?.[1];
        if (inside !== undefined) made.add(`value.${inside.split('.').at(-1)}`);
      }
    }
  }
  expect([...wanted].filter((entry) => !made.has(entry))).toEqual([]);
});
