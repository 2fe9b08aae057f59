import type { Check, Column, Index, Reference } from './table.ts';
import { conversionOf } from './conversion.ts';
import type { ColumnChange, Redesign, TableChange } from './redesign.ts';
import { isIn, oldName } from './redesign.ts';

/** Rows that a change would lose something of, or that stand in its way. They can be counted while it hasn't run. */
export type Hazard =
  /** All rows of a table. */
  | { readonly kind: 'rows'; readonly table: string }
  /** Rows with a value. */
  | { readonly kind: 'values'; readonly table: string; readonly column: string }
  | { readonly kind: 'nulls'; readonly table: string; readonly column: string }
  /** Rows whose value the new type does not have. */
  | { readonly kind: 'unfit'; readonly table: string; readonly column: Column; readonly becomes: Column }
  /** Rows that break a new rule, by the type that the column had. */
  | { readonly kind: 'broken'; readonly table: string; readonly column: Column; readonly checks: readonly Check[] }
  /** Rows that another one is alike to. */
  | { readonly kind: 'twins'; readonly table: string; readonly columns: readonly string[] }
  /** Rows that refer to a record which is not there. */
  | { readonly kind: 'dangling'; readonly table: string; readonly reference: Reference }
  /** Rows whose value finds no row of the other table to go to, or not one of its own. */
  | { readonly kind: 'unmoved'; readonly table: string; readonly column: string; readonly reference: Reference; readonly refers: 'source' | 'target'; readonly other: string; readonly key: string }; // prettier-ignore

/** What becomes of such rows. */
export interface Danger {
  readonly hazard: Hazard;
  /** Their values are lost, the change stops at them, or they get the value that was given for them. */
  readonly consequence: 'loses' | 'stops' | 'fills';
}

/** The dangers of a column, in the names that tables and columns have before the change. */
export function columnDangers(change: TableChange, column: ColumnChange): Danger[] {
  const table = change.before.name;
  const { before, after, fill, conversion, moved } = column;
  if (after === undefined) {
    if (moved) return [];
    return [{ hazard: { kind: 'values', table, column: oldName(change, before!.name) }, consequence: 'loses' }];
  }
  if (before === undefined) {
    const missing = !after.nullable && fill === undefined && !moved && !after.serial;
    return missing ? [{ hazard: { kind: 'rows', table }, consequence: 'stops' }] : [];
  }
  const dangers: Danger[] = [];
  const old: Column = { ...before, name: oldName(change, before.name) };
  const consequence = fill === undefined ? 'stops' : 'fills';
  if (before.nullable && !after.nullable) {
    dangers.push({ hazard: { kind: 'nulls', table, column: old.name }, consequence });
  }
  if (conversion === 'checked') {
    dangers.push({ hazard: { kind: 'unfit', table, column: old, becomes: after }, consequence });
  }
  if (conversion === 'cut') dangers.push({ hazard: { kind: 'values', table, column: old.name }, consequence: 'loses' });
  const checks = after.checks.filter((check) => !isIn(check, before.checks));
  // By the old type: a rule of the new one can only be looked at where both have the same values.
  if (checks.length > 0 && conversionOf(before, after) === 'same') {
    dangers.push({ hazard: { kind: 'broken', table, column: old, checks }, consequence });
  }
  return dangers;
}

/** The names before the change of columns that stay, by those after it. */
const stayingNames = (change: TableChange): ReadonlyMap<string, string> =>
  new Map(
    change.columns.flatMap(({ before, after }) =>
      before === undefined || after === undefined ? [] : [[after.name, oldName(change, before.name)]],
    ),
  );

/** The danger of a unique set that is new. */
export function setDangers(change: TableChange, { columns }: Index): Danger[] {
  const staying = stayingNames(change);
  const filled = new Set(change.columns.flatMap(({ after, fill }) => (fill === undefined ? [] : [after?.name])));
  // Columns that come empty tell all rows apart: nulls are no twins.
  if (columns.some((column) => !staying.has(column) && !filled.has(column))) return [];
  const old = columns.flatMap((column) => staying.get(column) ?? []);
  return [{ hazard: { kind: 'twins', table: change.before.name, columns: old }, consequence: 'stops' }];
}

/** The danger of a reference that is new. */
export function referenceDangers(change: TableChange, reference: Reference, { standing }: Redesign): Danger[] {
  const table = change.before.name;
  const column = stayingNames(change).get(reference.column);
  const known = change.carried.references.some(
    (other) => other.column === reference.column && other.table === reference.table,
  );
  if (column === undefined || known) return [];
  const target = standing.get(reference.table);
  if (target === undefined) return [{ hazard: { kind: 'values', table, column }, consequence: 'stops' }];
  const old = { ...reference, column, table: target.before.name, key: oldName(target, reference.key) };
  return [{ hazard: { kind: 'dangling', table, reference: old }, consequence: 'stops' }];
}

/** The dangers of moves: values that find no place in the other table. */
export function moveDangers({ moves, standing }: Redesign): Danger[] {
  return moves
    .filter(({ made }) => !made)
    .flatMap(({ source, target, refers, reference, columns }) => {
      const [from, to] = [standing.get(source.name)!, standing.get(target.name)!];
      const column = oldName(refers === 'source' ? from : to, reference.column);
      return columns.map(({ from: moved }): Danger => {
        const hazard: Hazard = {
          kind: 'unmoved',
          table: from.before.name,
          column: oldName(from, moved.name),
          reference: { ...reference, column },
          refers,
          other: to.before.name,
          key: from.before.primaryKey!,
        };
        return { hazard, consequence: 'loses' };
      });
    });
}

/** The danger of a table that goes. */
export const goneDanger = (name: string): Danger => ({ hazard: { kind: 'rows', table: name }, consequence: 'loses' });
