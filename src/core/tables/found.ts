import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import { storedFields } from '../model/joined-key.ts';
import { columnCalled, tableCalled } from './catalogue.ts';
import type { Catalogue, CatalogueColumn, CatalogueTable } from './catalogue.ts';
import type { Drift } from './description.ts';
import { designTables } from './design.ts';
import { isSameColumn } from './schema-diff.ts';
import { matchTables, newColumn } from './match.ts';
import type { Renames } from './match.ts';
import { isView, pairsOf } from './table.ts';
import type { Beside, Column, Found, Index, Reference, Table } from './table.ts';

/**
 * The tables of models that mirror a database, as they stand in it: with its types, its names of indexes and
 * references, and without what it does not have. `isMadeAnew`: a table is, where it changes, so that whatever stands
 * beside the models is part of it.
 */
export function foundTables(graph: Graph, catalogue: Catalogue, isMadeAnew: boolean): Table[] {
  const fields = new Map(graph.models.map((model) => [model.name, storedFields(model)]));
  return designTables(graph).map((table) => {
    const there = tableCalled(catalogue, table.name)!;
    const indexes = (wanted: readonly Index[], isUnique: boolean): Index[] =>
      wanted.flatMap((index) => foundIndex(index, there, isUnique) ?? []);
    return {
      ...table,
      ...(there.view === undefined ? {} : { view: there.view }),
      ...(isMadeAnew && there.view === undefined ? { beside: besideIn(table, there) } : {}),
      columns: table.columns.map((column) => {
        const field = fields.get(table.of)?.find((one) => one.column === column.name);
        return foundColumn(column, field, columnCalled(there, column.name)!, there.key.includes(column.name));
      }),
      unique: indexes(table.unique, true),
      indexes: indexes(table.indexes, false),
      references: table.references.flatMap((reference) => foundReference(reference, there) ?? []),
    };
  });
}

function besideIn(table: Table, { columns, checks }: CatalogueTable): Beside {
  const others = columns.filter(({ name }) => table.columns.every((column) => column.name !== name));
  return {
    columns: others.map(({ name, words: { type, more }, nullable, made }) => ({
      name,
      words: [type, nullable ? '' : 'NOT NULL', more ?? ''].filter((word) => word !== '').join(' '),
      ...(made === 'value' ? { isMade: true as const } : {}),
    })),
    checks,
  };
}

/**
 * What a database says of columns that were found, with the forms that they were found in: one that is empty may not
 * tell them.
 */
export const rememberingForms = ({ tables }: Catalogue, found: readonly Table[]): Catalogue => ({
  tables: tables.map((table) => {
    const columns = found.find(({ name }) => name === table.name)?.columns ?? [];
    const known = new Map(columns.flatMap((one) => (one.found === undefined ? [] : [[one.name, one] as const])));
    return { ...table, columns: table.columns.map((column) => asRemembered(column, known.get(column.name))) };
  }),
});

function asRemembered(column: CatalogueColumn, known: Column | undefined): CatalogueColumn {
  if (known === undefined) return column;
  const { type, found } = known;
  const as = { ...column.kind?.as, [type]: found!.form ?? '' };
  return { ...column, kind: { type, ...column.kind, as } };
}

/** An end of a link has no field of its own: its type is that of the key. */
function foundColumn(column: Column, field: Field | undefined, there: CatalogueColumn, isOfKey: boolean): Column {
  const { kind, words, nullable, made } = there;
  const form = kind?.as[field?.type ?? column.type] ?? '';
  const found: Found = {
    type: words.type,
    ...(form === '' ? {} : { form }),
    ...(words.more === undefined || column.serial ? {} : { more: words.more }),
    ...(made === 'value' ? { isMade: true } : {}),
    ...(kind?.isNamed === true ? { labels: kind.enum! } : {}),
  };
  return { ...column, nullable: nullable && !isOfKey, found };
}

const isSame = (one: readonly string[], other: readonly string[]): boolean =>
  one.length === other.length && one.every((name, at) => name === other[at]);

function foundIndex(index: Index, { named, key }: CatalogueTable, isUnique: boolean): Index | undefined {
  // What links stand in may have both ends as its key.
  if (isUnique && isSame(key, index.columns)) return { ...index, isRule: true };
  const there = named.find((one) => one.isUnique === isUnique && isSame(one.columns, index.columns));
  return there && { ...index, name: there.name ?? index.name, ...(there.isRule ? { isRule: true } : {}) };
}

function foundReference(reference: Reference, { references }: CatalogueTable): Reference | undefined {
  const pairs = pairsOf(reference);
  const columns = (of: (typeof references)[number]): string[] =>
    of.columns.map((column, at) => `${column} ${of.key[at]}`);
  const wanted = pairs.map(({ column, key }) => `${column} ${key}`).sort();
  const there = references.find((one) => one.table === reference.table && isSame(columns(one).sort(), wanted));
  return (
    there && { ...reference, onDelete: there.onDelete, ...(there.name === undefined ? {} : { found: there.name }) }
  );
}

const noRenames: Renames = new Map();

/**
 * What models want of tables, some of whose columns were found: what they don't change stays as it was found. A column
 * that gets another type or other rules becomes one of the tool's own.
 */
export function keepingFound(wanted: readonly Table[], before: readonly Table[], renames = noRenames): Table[] {
  if (!before.some(({ columns }) => columns.some(({ found }) => found !== undefined))) return [...wanted];
  const was = new Map(matchTables(before, wanted, renames).tables.map(([old, now]) => [now, old]));
  const kept = wanted.map((table) => {
    const old = was.get(table);
    if (old === undefined) return table;
    return isView(old) ? { ...old, of: table.of } : keptTable(table, old, renames);
  });
  return kept.map((table) => ({ ...table, columns: table.columns.map((column) => asItsKey(table, column, kept)) }));
}

function keptTable(table: Table, old: Table, renames: Renames): Table {
  const becomes = new Map(old.columns.map((column) => [newColumn(old, column, table, renames), column]));
  const keys = [
    table.primaryKey,
    ...(table.jointKey ?? []),
    ...table.references.flatMap(pairsOf).map((one) => one.column),
  ];
  const kept: Table = {
    ...table,
    ...(old.beside === undefined ? {} : { beside: old.beside }),
    columns: table.columns.map((column) => {
      const before = becomes.get(column);
      const found = before?.found;
      if (found === undefined) return column;
      const { nullable, serial } = column;
      const same = { ...before!, name: column.name, nullable, serial, found: undefined };
      const isTyped = before!.type === column.type && before!.scale === column.scale;
      const stays = isTyped && (found.isMade === true || keys.includes(column.name));
      return stays || isSameColumn(same, column) ? { ...column, checks: before!.checks, found } : column;
    }),
    unique: table.unique.map((index) => named(index, old.unique)),
    indexes: table.indexes.map((index) => named(index, old.indexes)),
    references: table.references.map((reference) => {
      const there = old.references.find((one) => isSameReference(one, reference));
      return there?.found === undefined ? reference : { ...reference, found: there.found };
    }),
  };
  return kept.beside === undefined ? kept : { ...kept, beside: keptBeside(kept.beside, old, kept) };
}

/** A rule of a table goes with the columns that it is about, where those change. */
function keptBeside({ columns, checks }: Beside, old: Table, now: Table): Beside {
  const stays = (column: Column): boolean =>
    now.columns.some(({ name, found }) => name === column.name && found?.type === column.found?.type);
  const changed = old.columns.filter((column) => !stays(column)).map(({ name }) => name.toLowerCase());
  const taken = new Set(now.columns.map(({ name }) => name.toLowerCase()));
  return {
    columns: columns.filter(({ name }) => !taken.has(name.toLowerCase())),
    checks: checks.filter((words) => !changed.some((name) => mentions(words.toLowerCase(), name))),
  };
}

/** Whether a condition has a name in it: as a word, or within quotes where it is no word. */
function mentions(words: string, name: string): boolean {
  const noLetters = /[^\p{L}\p{N}_$]+/u;
  return noLetters.test(name) ? words.includes(name) : words.split(noLetters).includes(name);
}

/** An index under the name that it was found with. */
function named(index: Index, among: readonly Index[]): Index {
  const there = among.find(
    ({ columns, descending }) => isSame(columns, index.columns) && isSame(descending, index.descending),
  );
  return there === undefined ? index : { ...there };
}

const isSameReference = (one: Reference, other: Reference): boolean =>
  one.table === other.table && JSON.stringify(pairsOf(one)) === JSON.stringify(pairsOf(other));

/** A new column that refers to a key that was found has its type: a database may ask for that. */
function asItsKey(table: Table, column: Column, all: readonly Table[]): Column {
  if (column.found !== undefined) return column;
  for (const reference of table.references) {
    const pair = pairsOf(reference).find((one) => one.column === column.name);
    const target = pair && all.find(({ name }) => name === reference.table);
    const key = target?.columns.find(({ name }) => name === pair!.key)?.found;
    if (key === undefined) continue;
    const { type, form, labels } = key;
    return { ...column, found: { type, ...(form && { form }), ...(labels && { labels }) } };
  }
  return column;
}

/** The same tables as the tool itself would make them. */
export const withoutFound = (tables: readonly Table[]): Table[] =>
  tables
    .filter((table) => !isView(table))
    .map((table) => ({
      ...table,
      columns: table.columns.map(({ found: _found, ...column }) => column),
      unique: table.unique.map(({ isRule: _isRule, ...index }) => index),
    }));

/** Whether a drift says something: of what was found in a table, no more is known than that it is there. */
export function isKnownDrift({ table: name, part, is }: Drift, snapshot: readonly Table[]): boolean {
  const table = snapshot.find((one) => one.name === name);
  if (table === undefined || table.columns.every(({ found }) => found === undefined) || part === undefined) return true;
  const column = part.replace(/^column /, '').toLowerCase();
  return is === undefined && table.columns.some((one) => one.name.toLowerCase() === column);
}
