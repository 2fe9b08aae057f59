import { expect, test } from '@jest/globals';
import { changeSummaries } from './change-summary.ts';
import { keepingFound } from './found.ts';
import { diffSchemas, noDecisions } from './schema-diff.ts';
import type { Column, Table } from './table.ts';

const column = (name: string, more: Partial<Column> = {}): Column => ({
  ...{ name, member: name, type: 'integer', scale: 0, nullable: true, serial: false, checks: [] },
  ...more,
});

const tents = (columns: readonly Column[], more: Partial<Table> = {}): Table => ({
  ...{ name: 'tents', of: 'tent', columns, primaryKey: 'id', unique: [], indexes: [], references: [] },
  ...more,
});

const id = column('id', { nullable: false, serial: true });
const found = (type: string, form?: string): Pick<Column, 'found'> => ({ found: { type, ...(form && { form }) } });
const key = { ...id, ...found('int') };

const FOUND = tents(
  [key, column('width', found('int')), column('kg', found('int')), column('seen', found('int', 'seconds'))],
  {
    unique: [{ name: 'both', columns: ['width', 'kg'], descending: [], isRule: true }],
    references: [{ column: 'kg', table: 'tents', key: 'id', onDelete: 'clear', found: 'fk_1' }],
    beside: { columns: [{ name: 'photo', words: 'blob' }], checks: ['width > 1', 'id <> 7', '"kg" < width * 2'] },
  },
);

const wanted = (columns: readonly Column[]): Table =>
  tents(columns, {
    unique: [{ name: 'tents_unique_width_kg', columns: ['width', 'kg'], descending: [] }],
    references: [{ column: 'kg', table: 'tents', key: 'id', onDelete: 'clear' }],
  });

test('what models leave as it was stays as it was found, with its names', () => {
  const same = wanted([id, column('width'), column('kg'), column('seen')]);
  expect(keepingFound([same], [FOUND])).toEqual([FOUND]);
  // Where nothing was found, nothing is looked for.
  expect(keepingFound([same], [same])).toEqual([same]);
});

test('a field with other rules gets a column of the tool, and takes the rules about it along', () => {
  const wide = column('width', { checks: [{ rule: 'maximum', limit: 9 }] });
  const [kept] = keepingFound([wanted([id, wide, column('kg'), column('seen')])], [FOUND]);
  expect(kept!.columns[1]).toEqual(wide);
  expect(kept!.beside).toEqual({ columns: FOUND.beside!.columns, checks: ['id <> 7'] });
  const plan = diffSchemas([FOUND], [kept!], noDecisions);
  expect(changeSummaries(plan, noDecisions)).toEqual([
    expect.objectContaining({ text: "maximum 9; its column becomes one of the tool's own" }),
  ]);
});

test('a form of its own stops services that know it, and a key keeps its type whatever its rules', () => {
  const seen = column('seen', { checks: [{ rule: 'minimum', limit: 0 }] });
  const known = tents([...FOUND.columns.slice(0, 3), { ...seen, ...found('int', 'seconds') }]);
  const loose = [
    { ...id, checks: [{ rule: 'maximum' as const, limit: 5 }] },
    column('width'),
    column('kg'),
    column('seen'),
  ];
  const [kept] = keepingFound([tents(loose)], [known]);
  expect(kept!.columns[0]).toEqual(key);
  const plan = diffSchemas([known], [kept!], noDecisions);
  expect(changeSummaries(plan, noDecisions)).toEqual([
    expect.objectContaining({ subject: 'tent.seen', goesOn: false }),
  ]);
});

test('a new column that refers to a key has its type, and a photo that becomes a field is no longer beside', () => {
  const fields = [id, column('width'), column('kg'), column('seen'), column('next'), column('photo', { type: 'text' })];
  const [kept] = keepingFound(
    [tents(fields, { references: [{ column: 'next', table: 'tents', key: 'id', onDelete: 'clear' }] })],
    [FOUND],
  );
  expect(kept!.columns.map((one) => one.found?.type)).toEqual(['int', 'int', 'int', 'int', 'int', undefined]);
  expect(kept!.beside!.columns).toEqual([]);
});
