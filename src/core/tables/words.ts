import type { Danger } from './hazard.ts';
import { columnDangers, goneDanger, moveDangers, referenceDangers, setDangers } from './hazard.ts';
import { shapeOf, isIn, isUnchanged } from './redesign.ts';
import type { ColumnChange, Decisions, Fill, Redesign, TableChange } from './redesign.ts';
import { isOwn } from './own-tables.ts';
import { called } from './table.ts';
import type { Check, Column, Index, Reference } from './table.ts';

/** One thing that changes, in words, and the rows that are in danger by it. */
export interface Saying {
  /** `hut.altitude_m`. */
  readonly subject: string;
  readonly text: string;
  readonly dangers: readonly Danger[];
}

/** What a change does, thing by thing. */
export function sayingsOf(plan: Redesign, { renames }: Pick<Decisions, 'renames'>): Saying[] {
  const said = (subject: string, text: string, dangers: readonly Danger[] = []): Saying => ({ subject, text, dangers });
  const moved = moveDangers(plan);
  return [
    ...plan.created.map((table) =>
      said(table.of, `new table ${table.name}, ${counted(table.columns.length, 'column')}`),
    ),
    ...[...renames].map(([from, to]) => {
      if (!plan.moves.some(({ target, columns }) => columns.some((one) => called(target, one.to) === to))) {
        return said(from, `is called ${to} now`);
      }
      const dangers = moved.filter(({ hazard }) => hazard.kind === 'unmoved' && from.endsWith(`.${hazard.column}`));
      return said(from, `moves to ${to}, with its values`, dangers);
    }),
    ...plan.renames
      .filter(({ table, from, to }) => table === undefined && !isOwn(from) && !isOwn(to))
      // A model's new name tells of its table's.
      .filter(({ to }) => !renames.has(plan.standing.get(to)?.before.of ?? ''))
      .map(({ from, to }) => said(from, `this table is called ${to} now`)),
    ...plan.changed.flatMap((change) => changeSayings(change, plan)),
    ...plan.dropped.map((table) => {
      const isMoved = plan.moves.some(({ source }) => source === table);
      const { name } = plan.standing.get(table.name)!.before;
      return said(table.of, `its table ${name} goes`, isMoved ? [] : [goneDanger(name)]);
    }),
  ];
}

const counted = (count: number, noun: string): string => `${count} ${noun}${count === 1 ? '' : 's'}`;

function changeSayings(change: TableChange, plan: Redesign): Saying[] {
  const { after, columns } = change;
  const moved = new Set(plan.moves.flatMap((move) => move.columns.flatMap(({ from, to }) => [from.member, to.member])));
  const sayings: Saying[] = [];
  for (const column of columns) {
    if (isUnchanged(column)) continue;
    const { before, after: next } = column;
    // Told by what moves.
    if (column.moved && moved.has((next ?? before)!.member)) continue;
    const dangers = columnDangers(change, column);
    if (next === undefined) sayings.push({ subject: called(after, before!), text: 'goes', dangers });
    else sayings.push({ subject: called(after, next), text: columnText(column), dangers });
  }
  sayings.push(...setSayings(change, 'unique', (index) => setDangers(change, index)));
  sayings.push(...setSayings(change, 'indexes', () => []));
  sayings.push(...referenceSayings(change, plan));
  return sayings;
}

/** Sets of columns that are new, or gone; one that has but another name is neither. */
function setSayings(
  { carried, after }: TableChange,
  kind: 'unique' | 'indexes',
  dangers: (index: Index) => Danger[],
): Saying[] {
  const has = (indexes: readonly Index[], { columns, descending }: Index): boolean =>
    indexes.some((other) => other.columns.join() === columns.join() && other.descending.join() === descending.join());
  const subject = ({ columns }: Index): string => `${after.of} (${columns.join(', ')})`;
  const [gone, made] = kind === 'unique' ? ['no longer unique', 'unique now'] : ['no longer an index', 'a new index'];
  return [
    ...carried[kind]
      .filter((index) => !has(after[kind], index))
      .map((index) => ({ subject: subject(index), text: gone, dangers: [] })),
    ...after[kind]
      .filter((index) => !has(carried[kind], index))
      .map((index) => ({ subject: subject(index), text: made, dangers: dangers(index) })),
  ];
}

function referenceSayings(change: TableChange, plan: Redesign): Saying[] {
  const { carried, after } = change;
  return after.references
    .filter((reference) => !isIn(reference, carried.references))
    .filter((reference) => carried.columns.some(({ name }) => name === reference.column))
    .map((reference) => {
      const old = carried.references.find(({ column }) => column === reference.column);
      const subject = `${after.of}.${reference.column}`;
      return { subject, text: referenceText(reference, old), dangers: referenceDangers(change, reference, plan) };
    });
}

function referenceText({ table, onDelete }: Reference, old: Reference | undefined): string {
  if (old?.table !== table) return `refers to ${table} now`;
  return `onDelete ${onDelete}; it was ${old.onDelete}`;
}

/** What is new about a column. */
function columnText({ before, after, fill }: ColumnChange): string {
  const next = after!;
  const given = fill === undefined ? undefined : fillWords(fill);
  if (before === undefined) {
    const rows = given === undefined ? '' : `; rows that are there get ${given}`;
    return `new, ${next.nullable ? typeWords(next) : `required ${typeWords(next)}`}${rows}`;
  }
  const words: string[] = [];
  if (typeWords(before) !== typeWords(next)) words.push(`${typeWords(before)} becomes ${typeWords(next)}`);
  if (before.nullable !== next.nullable) words.push(next.nullable ? 'may be null now' : 'required now');
  words.push(...checkWords(before, next));
  if (words.length === 0 && JSON.stringify(shapeOf(before)) !== JSON.stringify(shapeOf(next))) words.push('changes');
  if (given !== undefined) words.push(`rows that can't stay as they are get ${given}`);
  return words.join('; ');
}

const typeWords = ({ type, scale }: Column): string =>
  type === 'decimal' ? `decimal with ${counted(scale, 'digit')} after the point` : type;

export const fillWords = (fill: Fill): string =>
  fill === 'now' ? 'the time of the change' : JSON.stringify(fill.value);

const limitWords = (check: Check): string => (check.rule === 'enum' ? check.values.join(', ') : String(check.limit));

function checkWords(before: Column, after: Column): string[] {
  const rules = [...new Set([...before.checks, ...after.checks].map(({ rule }) => rule))];
  return rules.flatMap((rule): string[] => {
    const old = before.checks.find((check) => check.rule === rule);
    const now = after.checks.find((check) => check.rule === rule);
    if (JSON.stringify(old) === JSON.stringify(now)) return [];
    if (now === undefined) return [`no ${rule} any more`];
    return [`${rule} ${limitWords(now)}${old === undefined ? '' : `, which was ${limitWords(old)}`}`];
  });
}

/** What is in danger, by the number of rows; undefined where they can't be counted. Empty where there are none. */
export function dangerText({ hazard, consequence }: Danger, count: number | undefined): string {
  if (count === 0) return '';
  const rows = count === undefined ? 'rows' : counted(count, 'row');
  const values = count === undefined ? 'its values' : counted(count, 'value');
  const one = count === 1;
  if (consequence === 'loses') {
    if (hazard.kind === 'rows') return `loses ${count === undefined ? 'its rows' : rows}`;
    if (hazard.kind === 'unmoved')
      return `${count === undefined ? 'values' : values} may find no row to go to, and would be lost`;
    return `loses ${values}`;
  }
  const stops = consequence === 'stops' ? ', which stops it' : '';
  switch (hazard.kind) {
    case 'rows':
    case 'nulls':
      return `${rows} ${one ? 'has' : 'have'} no value for it${stops}`;
    case 'unfit':
      return `${rows} ${one ? 'has' : 'have'} a value that is no ${hazard.becomes.type}${stops}`;
    case 'broken':
      return `${rows} ${one ? 'breaks' : 'break'} it${stops}`;
    case 'twins':
      return `${rows} ${one ? 'is' : 'are'} alike${stops}`;
    case 'dangling':
    case 'values':
    case 'unmoved':
      return `${rows} ${one ? 'refers' : 'refer'} to a record that is not there${stops}`;
  }
}
