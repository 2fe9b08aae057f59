import { conversionOf } from './conversion.ts';
import { isIn, oldName } from './schema-diff.ts';
import type { ColumnChange, SchemaDiff, TableChange } from './schema-diff.ts';
import { called, keptChecks, pairsOf } from './table.ts';
import type { Check, Column, Fill, Index, Reference } from './table.ts';

/** A column as rows have it before a change, what it is then, and what its values get that can't go over. */
export interface Becoming {
  readonly column: Column;
  readonly becomes: Column;
  readonly fill?: Fill | undefined;
}

/** Rows that a change would lose something of, or that stand in its way. They can be counted while it hasn't run. */
export type AffectedRows =
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
  /** Rows that will refer to a missing record. */
  | {
      readonly kind: 'dangling';
      readonly table: string;
      readonly reference: Reference;
      readonly columns: readonly Becoming[];
      /** The columns of the other table that these refer to. */
      readonly keys: readonly string[];
    }
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
export interface Risk {
  readonly affected: AffectedRows;
  /** Their values are lost, the change stops at them, or they get the value that was given for them. */
  readonly consequence: 'loses' | 'stops' | 'fills';
}

/** The dangers of a column, in the names that tables and columns have before the change. */
export function columnRisks(change: TableChange, column: ColumnChange): Risk[] {
  const table = change.before.name;
  const { before, after, fill, moved } = column;
  if (after === undefined) {
    if (moved) return [];
    return [{ affected: { kind: 'values', table, column: oldName(change, before!.name) }, consequence: 'loses' }];
  }
  if (before === undefined) {
    const missing = !after.nullable && fill === undefined && !moved && !after.serial;
    return missing ? [{ affected: { kind: 'rows', table }, consequence: 'stops' }] : [];
  }
  const old: Column = { ...before, name: oldName(change, before.name) };
  const consequence = fill === undefined ? 'stops' : 'fills';
  const risks = valueRisks(table, { column: old, becomes: after, fill }, consequence);
  if (before.nullable && !after.nullable) {
    risks.unshift({ affected: { kind: 'nulls', table, column: old.name }, consequence });
  }
  return risks;
}

/** The dangers of values that become others: those that don't say the same, and those that break a rule then. */
function valueRisks(table: string, becoming: Becoming, consequence: Risk['consequence']): Risk[] {
  const { column, becomes } = becoming;
  const risks: Risk[] = [];
  const conversion = conversionOf(column, becomes);
  if (conversion === 'checked') risks.push({ affected: { kind: 'unfit', table, ...becoming }, consequence });
  // Values of another type are other ones to a rule, whatever it was before.
  const kept = keptChecks(column);
  const checks = keptChecks(becomes).filter((check) => conversion !== 'same' || !isIn(check, kept));
  if (checks.length > 0) risks.push({ affected: { kind: 'broken', table, checks, ...becoming }, consequence });
  return risks;
}

/** The danger of a member inside of values that goes, with what it holds. */
export const insideRisk = (change: TableChange, column: Column, path: readonly string[]): Risk => ({
  affected: { kind: 'inside', table: change.before.name, column: oldName(change, column.name), path },
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
export function setRisks(change: TableChange, { columns }: Index): Risk[] {
  const staying = stayingColumns(change);
  const filled = new Set(change.columns.flatMap(({ after, fill }) => (fill === undefined ? [] : [after?.name])));
  // Columns that come empty tell all rows apart: nulls are no twins.
  if (columns.some((column) => !staying.has(column) && !filled.has(column))) return [];
  const old = columns.flatMap((column) => staying.get(column) ?? []);
  return [{ affected: { kind: 'twins', table: change.before.name, columns: old }, consequence: 'stops' }];
}

/** The danger of a reference that is new. */
export function referenceRisks(change: TableChange, reference: Reference, { standing }: SchemaDiff): Risk[] {
  const table = change.before.name;
  const columns = pairsOf(reference).map(({ column }) => stayingColumns(change).get(column));
  const known = change.carried.references.some(
    (other) => columnsText(other) === columnsText(reference) && other.table === reference.table,
  );
  // Rows with a null in a column of it refer to nothing.
  if (columns.includes(undefined) || known) return [];
  const becoming = columns as Becoming[];
  const target = standing.get(reference.table);
  if (target === undefined) {
    return [{ affected: { kind: 'values', table, column: becoming[0]!.column.name }, consequence: 'stops' }];
  }
  const keys = pairsOf(reference).map(({ key }) => oldName(target, key));
  const old = { ...reference, table: target.before.name };
  return [{ affected: { kind: 'dangling', table, reference: old, columns: becoming, keys }, consequence: 'stops' }];
}

const columnsText = (reference: Reference): string =>
  pairsOf(reference)
    .map(({ column }) => column)
    .join();

/**
 * The dangers of moves, by what moves: values that find no place in the other table, or can't be what they would be
 * there.
 */
export function moveRisks({ moves, standing }: SchemaDiff): ReadonlyMap<string, readonly Risk[]> {
  const risks = new Map<string, readonly Risk[]>();
  for (const { source, target, made, refers, reference, columns, fills } of moves) {
    const from = standing.get(source.name)!;
    const table = from.before.name;
    const to = standing.get(target.name);
    for (const { from: moved, to: becomes } of columns) {
      const [column, fill] = [{ ...moved, name: oldName(from, moved.name) }, fills.get(becomes)];
      const own = valueRisks(table, { column, becomes, fill }, fill === undefined ? 'stops' : 'fills');
      if (!made && to !== undefined) {
        const leads = { ...reference, column: oldName(refers === 'source' ? from : to, reference.column) };
        const [other, key] = [to.before.name, from.before.primaryKey!];
        const affected: AffectedRows = {
          kind: 'unmoved',
          table,
          column: column.name,
          reference: leads,
          refers,
          other,
          key,
        };
        own.unshift({ affected, consequence: 'loses' });
      }
      risks.set(called(from.before, moved), own);
    }
  }
  return risks;
}

/** The danger of a table that goes. */
export const goneRisk = (name: string): Risk => ({ affected: { kind: 'rows', table: name }, consequence: 'loses' });
