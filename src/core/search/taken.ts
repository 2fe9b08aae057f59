import type { Field } from '../model/field.ts';
import type { Records, Row } from './records.ts';

/** The values of a unique set that records have. */
const kept = new WeakMap<readonly Row[], Map<string, ReadonlySet<string>>>();

const valuesIn = (set: readonly Field[], row: Row): string =>
  JSON.stringify(set.map(({ member }) => row[member] ?? null));

/** Whether a record that is there has the same values in a unique set. The list of records is looked through once. */
export function isTaken(records: Records, model: string, set: readonly Field[], values: Row): boolean {
  const rows = records.allOf(model);
  let sets = kept.get(rows);
  if (sets === undefined) kept.set(rows, (sets = new Map<string, ReadonlySet<string>>()));
  const name = set.map(({ member }) => member).join();
  let found = sets.get(name);
  if (found === undefined) sets.set(name, (found = new Set(rows.map((row) => valuesIn(set, row)))));
  return found.has(valuesIn(set, values));
}
