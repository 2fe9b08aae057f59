import { conversionOf } from './conversion.ts';
import { insideChanges, pathText, withNewNames } from './inside.ts';
import { called } from './table.ts';
import type { Column, Table } from './table.ts';

/**
 * What the developer said of names: `hut` → `cabin`, `hut.altitude` → `hut.altitude_m`, `member.phone` →
 * `profile.phone`.
 */
export type Renames = ReadonlyMap<string, string>;

/** Two designs, with every table and column of one found again in the other, or not. */
export interface Matched {
  readonly tables: readonly (readonly [Table, Table])[];
  readonly gone: readonly Table[];
  readonly made: readonly Table[];
  /** Columns whose values go to another table. */
  readonly moves: readonly { from: [Table, Column]; to: [Table, Column] }[];
}

/** Finds tables again by what they hold, and by what was said of names. */
export function matchTables(before: readonly Table[], after: readonly Table[], renames: Renames): Matched {
  const byContent = new Map(after.map((table) => [table.of, table]));
  const content = new Map(before.map((table) => [table, newContent(table.of, renames)]));
  // What has a new name goes before what had that name.
  const claimed = new Set(before.filter((table) => content.get(table) !== table.of).map((table) => content.get(table)));
  const tables: [Table, Table][] = [];
  for (const table of before) {
    const found = byContent.get(content.get(table)!);
    const isTaken = content.get(table) === table.of && claimed.has(table.of);
    if (found !== undefined && !isTaken) tables.push([table, found]);
  }
  const [old, kept] = [new Set(tables.map(([one]) => one)), new Set(tables.map(([, other]) => other))];
  const gone = before.filter((table) => !old.has(table));
  const made = after.filter((table) => !kept.has(table));
  const unmatched = { tables, gone, made };
  return { ...unmatched, moves: movesOf(before, after, unmatched, renames) };
}

/** What a table holds under the new names; the links of a model go with it. */
function newContent(of: string, renames: Renames): string {
  const said = renames.get(of);
  if (said !== undefined) return said;
  const [model = '', relation] = of.split('.');
  return relation === undefined ? of : `${renames.get(model) ?? model}.${relation}`;
}

/** The column of a table after that a column before has become; undefined where it is gone. */
export function newColumn(table: Table, column: Column, after: Table, renames: Renames): Column | undefined {
  const said = renames.get(called(table, column));
  if (said === undefined) {
    const same = after.columns.find(({ member }) => member === column.member);
    const taken = table.columns.find((other) => renames.get(called(table, other)) === `${after.of}.${column.member}`);
    return taken === undefined ? same : undefined;
  }
  return after.columns.find((candidate) => called(after, candidate) === said);
}

function movesOf(
  before: readonly Table[],
  after: readonly Table[],
  { tables }: Pick<Matched, 'tables' | 'gone' | 'made'>,
  renames: Renames,
): Matched['moves'] {
  const columnNamed = (among: readonly Table[], name: string): [Table, Column] | undefined => {
    for (const table of among) {
      for (const column of table.columns) if (called(table, column) === name) return [table, column];
    }
    return undefined;
  };
  return [...renames].flatMap(([old, now]) => {
    const [from, to] = [columnNamed(before, old), columnNamed(after, now)];
    if (from === undefined || to === undefined) return [];
    const stays = tables.some(([one, other]) => one === from[0] && other === to[0]);
    return stays ? [] : [{ from, to }];
  });
}

/** Something that looks like a new name, and may be something else. */
export interface Question {
  readonly kind: 'table' | 'column' | 'move';
  readonly from: string;
  readonly to: string;
}

/** What looks like a rename or a move, and nothing was said about. `dropped` names what is meant to go. */
export function questionsOf(
  before: readonly Table[],
  after: readonly Table[],
  renames: Renames,
  dropped: ReadonlySet<string>,
): Question[] {
  const { tables, gone, made, moves } = matchTables(before, after, renames);
  const questions: Question[] = [];
  const answered = new Set(renames.values());
  for (const table of gone) {
    if (dropped.has(table.of)) continue;
    for (const other of made) {
      if (!answered.has(other.of) && isAlike(table, other)) {
        questions.push({ kind: 'table', from: table.of, to: other.of });
      }
    }
  }
  const lost = tables.flatMap(([table, now]) =>
    table.columns
      .filter((column) => newColumn(table, column, now, renames) === undefined)
      .filter((column) => !dropped.has(called(table, column)) && !moves.some(({ from }) => from[1] === column))
      .map((column) => ({ table, now, column })),
  );
  const isNew = (now: Table, column: Column): boolean => {
    const standing = tables.find(([, other]) => other === now)?.[0];
    const found = standing?.columns.some((old) => newColumn(standing, old, now, renames) === column);
    return found !== true && !answered.has(called(now, column));
  };
  questions.push(...insideQuestions(tables, renames, dropped));
  for (const { table, now, column } of lost) {
    for (const other of now.columns) {
      if (isNew(now, other) && mayBecome(column, other)) {
        questions.push({ kind: 'column', from: called(table, column), to: called(now, other) });
      }
    }
    for (const other of after) {
      const same = other.columns.find(({ member, type }) => member === column.member && type === column.type);
      if (other === now || same === undefined || !isNew(other, same) || !isJoined(other, now)) continue;
      questions.push({ kind: 'move', from: called(table, column), to: called(other, same) });
    }
  }
  return questions;
}

/** The same inside of values: a member that is gone, and a new one that stands where it stood. */
function insideQuestions(tables: Matched['tables'], renames: Renames, dropped: ReadonlySet<string>): Question[] {
  return tables.flatMap(([table, now]) =>
    table.columns.flatMap((column) => {
      const next = newColumn(table, column, now, renames);
      if (next === undefined || column.shape === undefined) return [];
      const changes = insideChanges(withNewNames(column.shape, called(table, column), renames), next.shape);
      const name = (of: string, path: readonly string[]): string => `${of}.${pathText(path)}`;
      const around = (path: readonly string[]): string => path.slice(0, -1).join('.');
      const [gone, made] = (['gone', 'new'] as const).map((kind) => changes.filter((one) => one.kind === kind));
      return gone!
        .filter(({ path }) => !dropped.has(name(called(table, column), path)))
        .flatMap(({ path, before }) =>
          made!
            .filter((other) => around(other.path) === around(path) && other.after?.type === before?.type)
            .map((other): Question => {
              const [from, to] = [name(called(table, column), path), name(called(now, next), other.path)];
              return { kind: 'column', from, to };
            }),
        );
    }),
  );
}

/** A column may only be another one's new name where all its values fit. */
const mayBecome = (one: Column, other: Column): boolean =>
  conversionOf(one, other) === 'same' && one.type === other.type && one.serial === other.serial;

const isJoined = (one: Table, other: Table): boolean =>
  one.references.some(({ table }) => table === other.name) || other.references.some(({ table }) => table === one.name);

const MADE_BY_THE_TOOL = ['id', 'created_at', 'updated_at'];

/** Whether half of what two tables declare is the same. */
function isAlike(one: Table, other: Table): boolean {
  if (one.of.includes('.') !== other.of.includes('.')) return false;
  if (one.of.includes('.')) return one.of.split('.')[0] === other.of.split('.')[0];
  const own = (table: Table): Column[] => table.columns.filter(({ member }) => !MADE_BY_THE_TOOL.includes(member));
  const shared = own(one).filter((column) =>
    own(other).some(({ member, type }) => member === column.member && type === column.type),
  );
  return shared.length > 0 && shared.length * 2 >= Math.max(own(one).length, own(other).length);
}
