import { isEmptyAtFirst } from './change-summary.ts';
import { checksOfEither, isSameKind, isWider } from './looser.ts';
import type { ColumnChange, SchemaDiff, TableChange } from './schema-diff.ts';
import { called } from './table.ts';
import type { Column, Index, Table } from './table.ts';

/** What can't be done while services of both versions run, and what to do instead. */
export interface Indivisible {
  /** `hut.altitude`. */
  readonly subject: string;
  readonly remedy: string;
}

/** The changes of which the two versions want what no table can be at once. */
export function indivisible({ changed, moves, standing }: SchemaDiff): Indivisible[] {
  return [
    ...[...standing.values()].flatMap(({ before, carried }): Indivisible[] => [
      ...(before.name === carried.name ? [] : [{ subject: before.of, remedy: keptTable(before) }]),
      ...before.columns
        .filter(({ name }, at) => carried.columns[at]!.name !== name)
        .map((column) => ({
          subject: called(before, column),
          remedy: `column: ${column.name} keeps its column under the new name; or give what is new another name`,
        })),
    ]),
    ...moves.flatMap(({ source, columns }) =>
      columns.map(({ from }) => ({ subject: called(source, from), remedy: LATER })),
    ),
    ...changed.flatMap((change) =>
      change.columns
        .filter(({ before, after }) => before !== undefined && after !== undefined && !isSameKind(before, after))
        .map(({ before }) => ({ subject: called(change.before, before!), remedy: ANEW })),
    ),
    ...changed.flatMap(otherTargets),
  ];
}

const keptTable = ({ of, name }: Table): string =>
  of.includes('.') ? LATER : `table: ${name} in the model keeps its table`;

/** References that lead elsewhere: no record is in both tables. */
const otherTargets = ({ before, carried, after }: TableChange): Indivisible[] =>
  carried.references
    .filter(({ column, table }) => after.references.some((one) => one.column === column && one.table !== table))
    .map(({ column }) => ({ subject: `${before.of}.${column}`, remedy: before.of.includes('.') ? LATER : ANEW }));

const LATER = 'add what is new in one release, and let the old go in a later one';
const ANEW = 'give what is new another name, and let this one go in a later release';

/**
 * The tables that services of both versions can use: the first step makes these of those before, the second those
 * after of these. `fills` of new columns are what rows get that the version before makes meanwhile.
 */
export function tablesBetween(before: readonly Table[], { created, changed, standing, dropped }: SchemaDiff): Table[] {
  const changes = new Map(changed.map((change) => [change.before, change]));
  const going = new Set(dropped.map(({ name }) => standing.get(name)!.before));
  return [
    ...before.map((table) => {
      const change = changes.get(table);
      return change === undefined || going.has(table) ? table : between(change);
    }),
    ...created,
  ];
}

function between({ before, after, columns }: TableChange): Table {
  const both = columns.map(columnBetween);
  const isSame = (one: Index, other: Index): boolean => one.columns.join() === other.columns.join();
  const names = new Set(after.indexes.map(({ name }) => name));
  const stands = (column: string): boolean => before.columns.some(({ name }) => name === column);
  return {
    ...before,
    columns: both,
    unique: after.unique.filter(
      (index) => before.unique.some((other) => isSame(index, other)) || isEmptyAtFirst(index, empty(columns, both)),
    ),
    indexes: [...after.indexes, ...before.indexes.filter(({ name }) => !names.has(name))],
    references: [
      ...before.references.filter(
        ({ column }) =>
          !after.columns.some(({ name }) => name === column) || after.references.some((one) => one.column === column),
      ),
      ...after.references.filter(({ column }) => !stands(column)),
    ],
  };
}

/** The columns as the first step changes them. */
const empty = (columns: readonly ColumnChange[], both: readonly Column[]): ColumnChange[] =>
  columns.map((change, at) => (change.after === undefined ? change : { ...change, after: both[at]! }));

function columnBetween({ before, after, fill }: ColumnChange): Column {
  // Those who no longer know it leave it out.
  if (after === undefined) return { ...before!, nullable: true };
  if (before === undefined) {
    if (after.nullable) return after;
    return fill === undefined ? { ...after, nullable: true } : { ...after, usual: fill };
  }
  return {
    ...before,
    nullable: before.nullable || after.nullable,
    checks: checksOfEither(before.checks, after.checks),
    ...(after.shape !== undefined && isWider(after, before) ? { shape: after.shape } : {}),
  };
}
