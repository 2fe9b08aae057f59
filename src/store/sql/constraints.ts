import { shortName } from '../../core/tables/names.ts';
import { keptChecks, pairsOf } from '../../core/tables/table.ts';
import { isIn, oldName } from '../../core/tables/schema-diff.ts';
import type { ColumnChange, TableChange } from '../../core/tables/schema-diff.ts';
import type { Check, Column, Reference, Table } from '../../core/tables/table.ts';
import { decimalOfNumber, formatDecimal } from '../../core/text/decimal.ts';

// Where a check and a reference have a name each, by which they can be dropped.

export const checkName = (table: string, column: string, { rule }: Check): string =>
  shortName(`${table}_${column}_${rule.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`)}`);

export const referenceName = (table: string, reference: Reference): string => {
  if (reference.found !== undefined) return reference.found;
  const columns = pairsOf(reference).map(({ column }) => column);
  return shortName(`${table}_${columns.join('_')}_to_${reference.table}`);
};

/** What makes several columns the key of a table; nothing where one is it. */
export const jointKeySql = ({ jointKey }: Table, quote: (identifier: string) => string): string[] =>
  jointKey === undefined ? [] : [`PRIMARY KEY (${jointKey.map(quote).join(', ')})`];

/** The columns of a reference, and what they refer to. */
export function referenceSql(reference: Reference, quote: (identifier: string) => string): string {
  const pairs = pairsOf(reference);
  const [columns, keys] = [pairs.map(({ column }) => quote(column)), pairs.map(({ key }) => quote(key))];
  return `FOREIGN KEY (${columns.join(', ')}) REFERENCES ${quote(reference.table)} (${keys.join(', ')})`;
}

/** A limit where decimals are numbers of the database. */
export const limitText = ({ type }: Column, value: number): string =>
  type === 'decimal' ? formatDecimal(decimalOfNumber(value)) : String(value);

/** A check as the database has it: under the name that it got when it was made. */
export interface Named {
  readonly named: string;
  readonly check: Check;
}

const checksOf = (table: Table, column: Column | undefined): Named[] =>
  (column === undefined ? [] : keptChecks(column)).map((check) => ({
    named: checkName(table.name, column!.name, check),
    check,
  }));

/** The checks of a column, before and after. Where its values become others, all of them do. */
export function checksOfBoth(
  change: TableChange,
  { before, after }: ColumnChange,
  isOther: boolean,
): { readonly gone: Named[]; readonly made: Named[] } {
  const { before: table } = change;
  const was = before && table.columns.find(({ name }) => name === oldName(change, before.name));
  const [old, now] = [checksOf(table, was), checksOf(change.after, after)];
  const stay = isOther ? [] : old.filter((one) => isIn(one, now));
  return { gone: old.filter((one) => !isIn(one, stay)), made: now.filter((one) => !isIn(one, stay)) };
}

/** The name that a reference was made with. */
export const madeName = ({ before }: Pick<TableChange, 'before'>, at: number): string =>
  referenceName(before.name, before.references[at]!);

/** The places of the references that go, among those of the table. One under another name is another one. */
export const goneReferences = (change: TableChange): number[] =>
  change.carried.references.flatMap((reference, at) => {
    const stays =
      isIn(reference, change.after.references) && madeName(change, at) === referenceName(change.after.name, reference);
    return stays ? [] : [at];
  });

/** Those that stay. */
export function keptReferences(change: TableChange): Reference[] {
  const gone = goneReferences(change);
  return change.carried.references.filter((_reference, at) => !gone.includes(at));
}

export function newReferences(change: TableChange): Reference[] {
  const kept = keptReferences(change);
  return change.after.references.filter((reference) => !isIn(reference, kept));
}
