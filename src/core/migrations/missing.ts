import { isView } from '../tables/table.ts';
import type { Table } from '../tables/table.ts';
import { nearest } from '../text/nearest.ts';
import { SchemaMismatch } from './schema-mismatch.ts';

/** Throws if a database with these tables has lost one: dropped or renamed, even by the case of a letter. */
export function refuseMissing(names: readonly string[], tables: readonly Table[], address: string): void {
  const standing = new Set(names);
  const [missing] = tables.filter((table) => !standing.has(table.name) && !isView(table));
  if (missing === undefined) return;
  const others = names.filter((name) => !tables.some((table) => table.name === name));
  const sameLetters = others.find((name) => name.toLowerCase() === missing.name.toLowerCase());
  const near = sameLetters ?? nearest(missing.name, others);
  const seen =
    near === undefined
      ? ''
      : `; it has ${near}${sameLetters === undefined ? '' : ', which differs in the case of its letters'}`;
  throw new SchemaMismatch(
    `the database ${address} has no table ${missing.name}${seen}`,
    'something else changed it: vantfell migrate status shows every ' +
      'difference; give the table its name back, or restore the database',
  );
}
