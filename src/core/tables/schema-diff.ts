import { conversionOf, isSameInside } from './conversion.ts';
import type { Conversion } from './conversion.ts';
import { withNewNames } from './inside.ts';
import { matchTables, newColumn } from './match.ts';
import type { Matched, Renames } from './match.ts';
import { shortName } from './names.ts';
import { isOwn } from './own-tables.ts';
import { goneName } from './remembered.ts';
import type { Remembered } from './remembered.ts';
import { renamesInOrder } from './rename-order.ts';
import { called, isView, pairsOf } from './table.ts';
import type { Column, Fill, Index, Reference, Table } from './table.ts';

/** What was said of a change that the two designs alone don't tell. */
export interface Decisions {
  readonly renames: Renames;
  /** By `hut.valley`: what new columns get, and what takes the place of values that break a new rule. */
  readonly fills: ReadonlyMap<string, Fill>;
  /** The usual values of new columns, by `hut.valley`. */
  readonly defaults: ReadonlyMap<string, Fill>;
  /** It takes an earlier change back: what that has let go comes again. */
  readonly isBack?: boolean;
}

/** What brings a database from one design to another: first the renames, then all the rest, in the names after them. */
export interface SchemaDiff {
  /** By the name that a table has when the renames are done: the table before, and then. */
  readonly standing: ReadonlyMap<string, Pick<TableChange, 'before' | 'carried'>>;
  readonly renames: readonly Rename[];
  readonly created: readonly Table[];
  /** Views that were found, and are not there yet. They never go, because nothing is lost with them. */
  readonly views: readonly Table[];
  readonly changed: readonly TableChange[];
  readonly moves: readonly Move[];
  /** Values that were to move, but no reference leads from the one table to the other. */
  readonly unjoined: readonly (readonly [string, string])[];
  /** Values that were to stay under another name, or to move, and that no type of the other leads to. */
  readonly noWay: readonly (readonly [string, string])[];
  /** What tables hold whose key is another: nothing can be brought over to those. */
  readonly otherKeys: readonly string[];
  /** What is remembered by names that change. */
  readonly remembered: readonly Remembered[];
  /** Tables that go, under the names that they have by then. */
  readonly dropped: readonly Table[];
}

export interface Rename {
  /** The table whose column it is; undefined for a table itself. */
  readonly table?: string;
  readonly from: string;
  readonly to: string;
}

export interface TableChange {
  readonly before: Table;
  /** The table when the renames are done. */
  readonly carried: Table;
  readonly after: Table;
  readonly columns: readonly ColumnChange[];
}

/** A column that stays has both, one that goes has no `after`, a new one no `before`. */
export interface ColumnChange {
  /** Under its name when the renames are done. */
  readonly before?: Column;
  readonly after?: Column;
  readonly conversion: Conversion;
  readonly fill?: Fill;
  /** Its values come from another table, or go there. */
  readonly moved: boolean;
}

/** Values that go over to another table, along the reference between the two. */
export interface Move {
  readonly source: Table;
  readonly target: Table;
  /** The target is new: it gets a row for each row of the source that has a value. */
  readonly made: boolean;
  /** The end that refers to the other: `target` where a table is split, `source` where two become one. */
  readonly refers: 'source' | 'target';
  readonly reference: Reference;
  readonly columns: readonly { readonly from: Column; readonly to: Column }[];
  /** What the other columns of made rows get. */
  readonly fills: ReadonlyMap<Column, Fill>;
}

export const noDecisions: Decisions = { renames: new Map(), fills: new Map(), defaults: new Map() };

export function diffSchemas(before: readonly Table[], after: readonly Table[], decisions: Decisions): SchemaDiff {
  const matched = matchTables(before, after, decisions.renames);
  const carried = carryOver(before, after, matched, decisions.renames);
  const renames = [
    ...renamesInOrder(before.map((table) => [table.name, carried.get(table)!.table.name])),
    ...matched.tables.flatMap(([table]) => {
      const { table: now, names } = carried.get(table)!;
      return renamesInOrder([...names]).map((rename) => ({ ...rename, table: now.name }));
    }),
  ];
  const moves = movesInGroups(matched, (table) => carried.get(table)!, decisions);
  const isJoined = ({ to }: Matched['moves'][number]): boolean =>
    moves.some(({ columns }) => columns.some((column) => column.to === to[1]));
  const moved = new Set(matched.moves.filter(isJoined).flatMap(({ from, to }) => [from[1], to[1]]));
  const changed = matched.tables.flatMap(([table, now]): TableChange[] => {
    const columns = columnChanges(table, now, carried.get(table)!.names, moved, decisions);
    const change = { before: table, carried: carried.get(table)!.table, after: now, columns };
    return isIdle(change) ? [] : [change];
  });
  const standing = before.map((table) => ({ before: table, carried: carried.get(table)!.table }));
  return {
    standing: new Map(standing.map((one) => [one.carried.name, one])),
    renames,
    created: matched.made.filter((table) => !isView(table)),
    views: matched.made.filter(isView),
    changed,
    moves,
    unjoined: matched.moves.filter((move) => !isJoined(move)).map(({ from, to }) => [called(...from), called(...to)]),
    remembered: rememberedNames(matched, decisions),
    noWay: waylessRenames(matched, decisions.renames),
    otherKeys: matched.tables
      .filter(([table, now]) => hasOtherKey(table, now, decisions.renames))
      .map(([, now]) => now.of),
    dropped: matched.gone.filter((table) => !isView(table)).map((table) => carried.get(table)!.table),
  };
}

/** What the journal and the samples call models and members, where that becomes something else. */
function rememberedNames({ tables, gone, made }: Matched, { renames, isBack = false }: Decisions): Remembered[] {
  const isModel = ({ of }: Table): boolean => !of.includes('.') && !isOwn(of);
  const none = new Map<string, string>();
  const staying = tables.flatMap(([table, now]): Remembered[] => {
    if (!isModel(table)) return [];
    const members = new Map<string, string>();
    const found = new Set<Column>();
    for (const column of table.columns) {
      const next = stayingColumn(table, column, now, renames);
      if (next !== undefined) found.add(next);
      const name = next?.member ?? goneName(column.member);
      if (name !== column.member) members.set(column.member, name);
    }
    const back = isBack ? now.columns.filter((column) => !found.has(column)) : [];
    for (const { member } of back) members.set(goneName(member), member);
    return [{ model: table.of, becomes: now.of, members }];
  });
  return [
    ...staying.filter(({ model, becomes, members }) => model !== becomes || members.size > 0),
    ...gone.filter(isModel).map(({ of }) => ({ model: of, becomes: goneName(of), members: none })),
    ...(isBack ? made.filter(isModel) : []).map(({ of }) => ({ model: goneName(of), becomes: of, members: none })),
  ];
}

/** What was said to be the same, or to move, where no value of the one is a value of the other. */
function waylessRenames({ tables, moves }: Matched, renames: Renames): [string, string][] {
  const stay = tables.flatMap(([table, now]) =>
    table.columns.flatMap((column): [Column, Column, string, string][] => {
      const next = renames.has(called(table, column)) ? newColumn(table, column, now, renames) : undefined;
      return next === undefined ? [] : [[column, next, called(table, column), called(now, next)]];
    }),
  );
  const moved = moves.map(({ from, to }): [Column, Column, string, string] => [
    from[1],
    to[1],
    called(...from),
    called(...to),
  ]);
  return [...stay, ...moved]
    .filter(([one, other]) => conversionOf(one, other) === undefined)
    .map(([, , from, to]) => [from, to]);
}

/** The name that a column had before the renames. */
export function oldName({ before, carried }: Pick<TableChange, 'before' | 'carried'>, name: string): string {
  return before.columns[carried.columns.findIndex((column) => column.name === name)]!.name;
}

/** Whether there is nothing to do. */
export const isEmpty = ({ renames, created, changed, remembered, dropped }: SchemaDiff): boolean =>
  [renames, created, changed, remembered, dropped].every(({ length }) => length === 0);

/** The same decisions, for the way back. */
export const backwards = ({ renames }: Decisions, fills: Decisions['fills']): Decisions => ({
  renames: new Map([...renames].map(([from, to]) => [to, from])),
  fills: new Map(),
  defaults: fills,
  isBack: true,
});

/** By its key a record is known to all that refer to it, in the database and outside. */
function hasOtherKey(table: Table, now: Table, renames: Renames): boolean {
  const key = (of: Table): Column[] =>
    (of.jointKey ?? [of.primaryKey]).flatMap((own) => of.columns.find(({ name }) => name === own) ?? []);
  const [before, after] = [key(table), key(now)];
  if (before.length === 0 || after.length === 0) return false;
  if (before.length !== after.length) return true;
  return before.some((old, at) => {
    const next = after[at]!;
    return (
      newColumn(table, old, now, renames) !== next || conversionOf(old, next) !== 'same' || old.serial !== next.serial
    );
  });
}

/** A table under its new names, and the new name of each of its columns. */
interface Carried {
  readonly table: Table;
  readonly names: ReadonlyMap<string, string>;
}

function carryOver(
  before: readonly Table[],
  after: readonly Table[],
  { tables }: Matched,
  renames: Renames,
): ReadonlyMap<Table, Carried> {
  const [next, taken] = [new Map(tables), lowerCase(after)];
  const names = new Map(
    before.map((table) => {
      const now = next.get(table);
      const name = now?.name ?? (taken.has(table.name.toLowerCase()) ? parked(table.name) : table.name);
      return [table, { name, columns: columnNames(table, now, renames) }];
    }),
  );
  const byName = new Map(before.map((table) => [table.name, table]));
  return new Map(
    before.map((table) => {
      const { name, columns } = names.get(table)!;
      const rename = (column: string): string => columns.get(column)!;
      const carry = (index: Index): Index => ({
        ...index,
        columns: index.columns.map(rename),
        descending: index.descending.map(rename),
      });
      const carriedTable: Table = {
        ...table,
        name,
        columns: table.columns.map((column) => ({ ...column, name: rename(column.name) })),
        primaryKey: table.primaryKey === undefined ? undefined : rename(table.primaryKey),
        ...(table.jointKey === undefined ? {} : { jointKey: table.jointKey.map(rename) }),
        unique: table.unique.map(carry),
        indexes: table.indexes.map(carry),
        references: table.references.map((reference) => {
          const target = names.get(byName.get(reference.table)!)!;
          const [first, ...more] = pairsOf(reference).map(({ column, key }) => ({
            column: rename(column),
            key: target.columns.get(key)!,
          }));
          return { ...reference, ...first!, table: target.name, ...(more.length === 0 ? {} : { more }) };
        }),
      };
      return [table, { table: carriedTable, names: columns }];
    }),
  );
}

/** The new name of each column: a column that goes stands aside where its name is needed. */
function columnNames(table: Table, now: Table | undefined, renames: Renames): ReadonlyMap<string, string> {
  const taken = lowerCase(now?.columns ?? []);
  return new Map(
    table.columns.map((column) => {
      const next = now === undefined ? undefined : stayingColumn(table, column, now, renames);
      const name = next?.name ?? (taken.has(column.name.toLowerCase()) ? parked(column.name) : column.name);
      return [column.name, name];
    }),
  );
}

/** The column that a column becomes, where its values can go over. */
function stayingColumn(table: Table, column: Column, now: Table, renames: Renames): Column | undefined {
  const next = newColumn(table, column, now, renames);
  return next !== undefined && conversionOf(column, next) !== undefined ? next : undefined;
}

const lowerCase = (named: readonly { name: string }[]): Set<string> =>
  new Set(named.map(({ name }) => name.toLowerCase()));

const parked = (name: string): string => shortName(`vantfell_old_${name}`);

function columnChanges(
  table: Table,
  now: Table,
  names: ReadonlyMap<string, string>,
  moved: ReadonlySet<Column>,
  { renames, fills, defaults }: Decisions,
): ColumnChange[] {
  const found = new Set<Column>();
  const old = table.columns.map((column): ColumnChange => {
    const shape = column.shape && { shape: withNewNames(column.shape, called(table, column), renames) };
    const before = { ...column, ...shape, name: names.get(column.name)! };
    const next = stayingColumn(table, column, now, renames);
    if (next === undefined) return { before, conversion: 'same', moved: moved.has(column) };
    found.add(next);
    const fill = fills.get(called(now, next));
    return { before, after: next, conversion: conversionOf(before, next)!, fill, moved: false };
  });
  const added = now.columns.filter((column) => !found.has(column));
  return [
    ...old,
    ...added.map((column): ColumnChange => {
      const fill = fills.get(called(now, column)) ?? defaults.get(called(now, column));
      return { after: column, conversion: 'same', fill, moved: moved.has(column) };
    }),
  ];
}

const same = (one: unknown, other: unknown): boolean => JSON.stringify(one) === JSON.stringify(other);

/** Whether two columns make no difference in the database, nor in what their values are. */
export const isSameColumn = (one: Column, other: Column): boolean =>
  same(featuresOf(one), featuresOf(other)) && isSameInside(one.shape, other.shape);

const featuresOf = ({ name, type, scale, nullable, serial, usual, checks, found }: Column): unknown => [
  name,
  type,
  scale,
  nullable,
  serial,
  usual,
  checks,
  found,
];

export const isUnchanged = ({ before, after, fill }: ColumnChange): boolean =>
  before !== undefined && after !== undefined && fill === undefined && isSameColumn(before, after);

/** Where nothing is another: a new name of a table or a column goes into the names of other things. */
const isIdle = ({ before, carried, after, columns }: TableChange): boolean =>
  same(before, carried) &&
  columns.every(isUnchanged) &&
  same(sorted(carried.references), sorted(after.references)) &&
  same(sorted(carried.unique), sorted(after.unique)) &&
  same(sorted(carried.indexes), sorted(after.indexes));

const sorted = (entries: readonly (Index | Reference)[]): string[] => entries.map((one) => JSON.stringify(one)).sort();

/** Whether a design is the same as another, whatever the order of what it lists. */
export const isSameDesign = (before: readonly Table[], after: readonly Table[]): boolean =>
  isEmpty(diffSchemas(before, after, noDecisions));

/** What stands in both lists, by all that it says. */
export const isIn = (entry: unknown, entries: readonly unknown[]): boolean => entries.some((one) => same(one, entry));

function movesInGroups(
  { moves, tables, made }: Matched,
  carried: (table: Table) => Carried,
  { fills, defaults }: Decisions,
): Move[] {
  const groups = new Map<string, { source: Carried; target: Table; columns: { from: Column; to: Column }[] }>();
  for (const { from, to } of moves.filter(({ from, to }) => conversionOf(from[1], to[1]) !== undefined)) {
    const source = carried(from[0]);
    const name = `${source.table.name} ${to[0].name}`;
    const group = groups.get(name) ?? { source, target: to[0], columns: [] };
    groups.set(name, group);
    group.columns.push({ from: { ...from[1], name: source.names.get(from[1].name)! }, to: to[1] });
  }
  return [...groups.values()].flatMap(({ source: { table: source }, target, columns }): Move[] => {
    const isNew = made.includes(target);
    const split = target.references.find(({ table, more }) => table === source.name && more === undefined);
    const standing = tables.find(([, now]) => now === target)?.[0];
    const merge =
      standing === undefined
        ? undefined
        : source.references.find(({ table, more }) => table === target.name && more === undefined);
    const reference = split ?? merge;
    if (reference === undefined || source.jointKey !== undefined || target.jointKey !== undefined) return [];
    const filled = target.columns.flatMap((column): [Column, Fill][] => {
      const fill = fills.get(called(target, column)) ?? defaults.get(called(target, column));
      return fill === undefined ? [] : [[column, fill]];
    });
    const refers = split === undefined ? 'source' : 'target';
    return [{ source, target, made: isNew, refers, reference, columns, fills: new Map(filled) }];
  });
}
