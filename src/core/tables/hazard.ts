import type { Check, Column, Index, Reference } from './table.ts';
import { conversionOf } from './conversion.ts';
import type { ColumnChange, Fill, Redesign, TableChange } from './redesign.ts';
import { isIn, oldName } from './redesign.ts';
import { called } from './table.ts';

/** A column as rows have it before a change, what it is then, and what its values get that can't go over. */
export interface Becoming {
  readonly column: Column;
  readonly becomes: Column;
  readonly fill?: Fill | undefined;
}

/** Rows that a change would lose something of, or that stand in its way. They can be counted while it hasn't run. */
export type Hazard =
  /** All rows of a table. */
  | { readonly kind: 'rows'; readonly table: string }
  /** Rows with a value. */
  | { readonly kind: 'values'; readonly table: string; readonly column: string }
  /** Rows with a value inside of a value: at a path of names, `*` for each item of an array. */
  | { readonly kind: 'inside'; readonly table: string; readonly column: string; readonly path: readonly string[] }
  | { readonly kind: 'nulls'; readonly table: string; readonly column: string }
  /** Rows whose value does not say the same in the new type. */
  | ({ readonly kind: 'unfit'; readonly table: string } & Becoming)
  /** Rows whose value, as it will be, breaks a new rule. */
  | ({ readonly kind: 'broken'; readonly table: string; readonly checks: readonly Check[] } & Becoming)
  /** Rows that another one will be alike to. */
  | { readonly kind: 'twins'; readonly table: string; readonly columns: readonly Becoming[] }
  /** Rows that will refer to a record which is not there. */
  | ({ readonly kind: 'dangling'; readonly table: string; readonly reference: Reference } & Becoming)
  /** Rows whose value finds no row of the other table to go to, or not one of its own. */
  | {
      readonly kind: 'unmoved';
      readonly table: string;
      readonly column: string;
      readonly reference: Reference;
      readonly refers: 'source' | 'target';
      readonly other: string;
      readonly key: string;
    };

/** What becomes of such rows. */
export interface Danger {
  readonly hazard: Hazard;
  /** Their values are lost, the change stops at them, or they get the value that was given for them. */
  readonly consequence: 'loses' | 'stops' | 'fills';
}

/** The dangers of a column, in the names that tables and columns have before the change. */
export function columnDangers(change: TableChange, column: ColumnChange): Danger[] {
  const table = change.before.name;
  const { before, after, fill, moved } = column;
  if (after === undefined) {
    if (moved) return [];
    return [{ hazard: { kind: 'values', table, column: oldName(change, before!.name) }, consequence: 'loses' }];
  }
  if (before === undefined) {
    const missing = !after.nullable && fill === undefined && !moved && !after.serial;
    return missing ? [{ hazard: { kind: 'rows', table }, consequence: 'stops' }] : [];
  }
  const old: Column = { ...before, name: oldName(change, before.name) };
  const consequence = fill === undefined ? 'stops' : 'fills';
  const dangers = valueDangers(table, { column: old, becomes: after, fill }, consequence);
  if (before.nullable && !after.nullable) {
    dangers.unshift({ hazard: { kind: 'nulls', table, column: old.name }, consequence });
  }
  return dangers;
}

/** The dangers of values that become others: those that don't say the same, and those that break a rule then. */
function valueDangers(table: string, becoming: Becoming, consequence: Danger['consequence']): Danger[] {
  const { column, becomes } = becoming;
  const dangers: Danger[] = [];
  const conversion = conversionOf(column, becomes);
  if (conversion === 'checked') dangers.push({ hazard: { kind: 'unfit', table, ...becoming }, consequence });
  // Values of another type are other ones to a rule, whatever it was before.
  const checks = becomes.checks.filter((check) => conversion !== 'same' || !isIn(check, column.checks));
  if (checks.length > 0) dangers.push({ hazard: { kind: 'broken', table, checks, ...becoming }, consequence });
  return dangers;
}

/** The danger of a member inside of values that goes, with what it holds. */
export const insideDanger = (change: TableChange, column: Column, path: readonly string[]): Danger => ({
  hazard: { kind: 'inside', table: change.before.name, column: oldName(change, column.name), path },
  consequence: 'loses',
});

/** The columns that stay, by their names after the change. */
const stayingColumns = (change: TableChange): ReadonlyMap<string, Becoming> =>
  new Map(
    change.columns.flatMap(({ before, after, fill }) => {
      if (before === undefined || after === undefined) return [];
      return [[after.name, { column: { ...before, name: oldName(change, before.name) }, becomes: after, fill }]];
    }),
  );

/** The danger of a unique set that is new, or of values that become others. */
export function setDangers(change: TableChange, { columns }: Index): Danger[] {
  const staying = stayingColumns(change);
  const filled = new Set(change.columns.flatMap(({ after, fill }) => (fill === undefined ? [] : [after?.name])));
  // Columns that come empty tell all rows apart: nulls are no twins.
  if (columns.some((column) => !staying.has(column) && !filled.has(column))) return [];
  const old = columns.flatMap((column) => staying.get(column) ?? []);
  return [{ hazard: { kind: 'twins', table: change.before.name, columns: old }, consequence: 'stops' }];
}

/** The danger of a reference that is new. */
export function referenceDangers(change: TableChange, reference: Reference, { standing }: Redesign): Danger[] {
  const table = change.before.name;
  const column = stayingColumns(change).get(reference.column);
  const known = change.carried.references.some(
    (other) => other.column === reference.column && other.table === reference.table,
  );
  if (column === undefined || known) return [];
  const target = standing.get(reference.table);
  if (target === undefined) {
    return [{ hazard: { kind: 'values', table, column: column.column.name }, consequence: 'stops' }];
  }
  const old = { ...reference, table: target.before.name, key: oldName(target, reference.key) };
  return [{ hazard: { kind: 'dangling', table, reference: old, ...column }, consequence: 'stops' }];
}

/**
 * The dangers of moves, by what moves: values that find no place in the other table, or can't be what they would be
 * there.
 */
export function moveDangers({ moves, standing }: Redesign): ReadonlyMap<string, readonly Danger[]> {
  const dangers = new Map<string, readonly Danger[]>();
  for (const { source, target, made, refers, reference, columns, fills } of moves) {
    const from = standing.get(source.name)!;
    const table = from.before.name;
    const to = standing.get(target.name);
    for (const { from: moved, to: becomes } of columns) {
      const [column, fill] = [{ ...moved, name: oldName(from, moved.name) }, fills.get(becomes)];
      const own = valueDangers(table, { column, becomes, fill }, fill === undefined ? 'stops' : 'fills');
      if (!made && to !== undefined) {
        const leads = { ...reference, column: oldName(refers === 'source' ? from : to, reference.column) };
        const [other, key] = [to.before.name, from.before.primaryKey!];
        const hazard: Hazard = { kind: 'unmoved', table, column: column.name, reference: leads, refers, other, key };
        own.unshift({ hazard, consequence: 'loses' });
      }
      dangers.set(called(from.before, moved), own);
    }
  }
  return dangers;
}

/** The danger of a table that goes. */
export const goneDanger = (name: string): Danger => ({ hazard: { kind: 'rows', table: name }, consequence: 'loses' });
