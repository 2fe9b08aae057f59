import { insideChanges, pathText } from './inside.ts';
import { takesOldWriters } from './looser.ts';
import type { Renames } from './match.ts';
import { isOwn } from './own-tables.ts';
import { columnRisks, goneRisk, insideRisk, moveRisks, referenceRisks, setRisks } from './risk.ts';
import type { Risk } from './risk.ts';
import { isIn, isSameColumn, isUnchanged } from './schema-diff.ts';
import type { ColumnChange, Decisions, SchemaDiff, TableChange } from './schema-diff.ts';
import { called } from './table.ts';
import type { Check, Column, Fill, Index, PropertyShape, Reference, Shape } from './table.ts';

/** One thing that changes, in words, and the rows that are in danger by it. */
export interface ChangeSummary {
  /** `hut.altitude_m`. */
  readonly subject: string;
  readonly text: string;
  readonly risks: readonly Risk[];
  /** Services that know the tables as they were can go on beside it. */
  readonly goesOn: boolean;
}

/** What a change does, thing by thing. */
export function changeSummaries(plan: SchemaDiff, { renames }: Pick<Decisions, 'renames'>): ChangeSummary[] {
  const said = (subject: string, text: string, risks: readonly Risk[] = [], goesOn = false): ChangeSummary => ({
    subject,
    text,
    risks,
    goesOn,
  });
  const moved = moveRisks(plan);
  return [
    ...plan.created.map((table) =>
      said(table.of, `new table ${table.name}, ${counted(table.columns.length, 'column')}`, [], true),
    ),
    ...[...renames].map(([from, to]) => {
      if (!plan.moves.some(({ target, columns }) => columns.some((one) => called(target, one.to) === to))) {
        return said(from, `is called ${to} now`);
      }
      return said(from, `moves to ${to}, with its values`, moved.get(from));
    }),
    ...plan.renames
      .filter(({ table, from, to }) => table === undefined && !isOwn(from) && !isOwn(to))
      // A model's new name implies its table's.
      .filter(({ to }) => !renames.has(plan.standing.get(to)?.before.of ?? ''))
      .map(({ from, to }) => said(plan.standing.get(to)?.before.of ?? from, `its table is called ${to} now`)),
    ...[...plan.standing.values()].flatMap((one) => columnNameSummaries(one, renames)),
    ...plan.changed.flatMap((change) => summariesOfChange(change, plan)),
    ...plan.dropped.map((table) => {
      const isMoved = plan.moves.some(({ source }) => source === table);
      const { name } = plan.standing.get(table.name)!.before;
      return said(table.of, `its table ${name} goes`, isMoved ? [] : [goneRisk(name)]);
    }),
  ];
}

/** Columns that are called otherwise, while the members that they hold keep their names. */
function columnNameSummaries(
  { before, carried }: Pick<TableChange, 'before' | 'carried'>,
  renames: Renames,
): ChangeSummary[] {
  if (before.of.includes('.')) return [];
  return before.columns.flatMap((column, at): ChangeSummary[] => {
    const { name } = carried.columns[at]!;
    const subject = called(before, column);
    if (name === column.name || isOwn(name) || renames.has(subject)) return [];
    return [{ subject, text: `its column is called ${name} now`, risks: [], goesOn: false }];
  });
}

const counted = (count: number, noun: string): string => `${count} ${noun}${count === 1 ? '' : 's'}`;

function summariesOfChange(change: TableChange, plan: SchemaDiff): ChangeSummary[] {
  const { after, columns } = change;
  const moved = new Set(plan.moves.flatMap((move) => move.columns.flatMap(({ from, to }) => [from.member, to.member])));
  const summaries: ChangeSummary[] = [];
  for (const column of columns) {
    if (isUnchanged(column)) continue;
    const { before, after: next } = column;
    // Told by what moves.
    if (column.moved && moved.has((next ?? before)!.member)) continue;
    const risks = columnRisks(change, column);
    if (next === undefined) summaries.push({ subject: called(after, before!), text: 'goes', risks, goesOn: false });
    else if (before !== undefined) summaries.push(...summariesOfStaying(change, column, risks));
    else {
      const goesOn = next.nullable || next.usual !== undefined;
      summaries.push({ subject: called(after, next), text: columnText(column), risks, goesOn });
    }
  }
  summaries.push(...setSummaries(change, 'unique', (index) => setRisks(change, index)));
  summaries.push(...setSummaries(change, 'indexes', () => []));
  summaries.push(...referenceSummaries(change, plan));
  return summaries;
}

/** What is new about a column that stays, and about what is inside of its values. */
function summariesOfStaying(change: TableChange, column: ColumnChange, risks: readonly Risk[]): ChangeSummary[] {
  const [before, next] = [column.before!, column.after!];
  const inside = insideChanges(before.shape, next.shape)
    // Told by the new names.
    .filter(({ kind }) => kind !== 'renamed')
    .map(({ kind, path, before: was, after: is }): ChangeSummary => {
      const subject = [called(change.after, next), pathText(path)].filter((name) => name !== '').join('.');
      const items = path.at(-1) === '*' ? 'its items: ' : '';
      if (kind === 'gone') return { subject, text: 'goes', risks: [insideRisk(change, before, path)], goesOn: false };
      const text = kind === 'new' ? `new, ${insideWords(is!)}` : `${insideWords(was!)} becomes ${insideWords(is!)}`;
      // Told of the whole column.
      return { subject, text: items + text, risks: [], goesOn: true };
    });
  const goesOn = column.fill === undefined && takesOldWriters(next, before);
  return [...inside, { subject: called(change.after, next), text: columnText(column), risks, goesOn }];
}

const insideWords = (shape: Shape | PropertyShape): string =>
  `${'required' in shape && shape.required ? 'required ' : ''}${typeWords(shape)}`;

/** Sets of columns that are new, or gone; one that has but another name is neither. */
function setSummaries(
  { carried, after, columns }: TableChange,
  kind: 'unique' | 'indexes',
  risks: (index: Index) => Risk[],
): ChangeSummary[] {
  const turned = new Set(
    columns
      .filter(({ conversion, fill }) => conversion === 'checked' || fill !== undefined)
      .map((one) => one.after?.name),
  );
  const has = (indexes: readonly Index[], { columns, descending }: Index): boolean =>
    indexes.some((other) => other.columns.join() === columns.join() && other.descending.join() === descending.join());
  const subject = ({ columns }: Index): string => `${after.of} (${columns.join(', ')})`;
  const [gone, made] = kind === 'unique' ? ['no longer unique', 'unique now'] : ['no longer an index', 'a new index'];
  return [
    ...carried[kind]
      .filter((index) => !has(after[kind], index))
      .map((index) => ({ subject: subject(index), text: gone, risks: [], goesOn: true })),
    ...after[kind]
      .filter((index) => !has(carried[kind], index))
      .map((index) => ({
        subject: subject(index),
        text: made,
        risks: risks(index),
        goesOn: kind === 'indexes' || isEmptyAtFirst(index, columns),
      })),
    // Texts that differ may say the same in another type.
    ...after[kind]
      .filter((index) => kind === 'unique' && has(carried[kind], index) && index.columns.some((one) => turned.has(one)))
      .map((index) => ({ subject: subject(index), text: 'unique, as before', risks: risks(index), goesOn: false })),
  ];
}

/** Whether rows of those who do not know all columns have nothing in one of them, and so are like no other. */
export const isEmptyAtFirst = ({ columns: names }: Index, columns: readonly ColumnChange[]): boolean =>
  columns.some(
    ({ before, after }) =>
      before === undefined && after!.nullable && after!.usual === undefined && names.includes(after!.name),
  );

function referenceSummaries(change: TableChange, plan: SchemaDiff): ChangeSummary[] {
  const { carried, after } = change;
  return after.references
    .filter((reference) => !isIn(reference, carried.references))
    .filter((reference) => carried.columns.some(({ name }) => name === reference.column))
    .map((reference) => {
      const old = carried.references.find(({ column }) => column === reference.column);
      const subject = `${after.of}.${reference.column}`;
      const risks = referenceRisks(change, reference, plan);
      return { subject, text: referenceText(reference, old), risks, goesOn: false };
    });
}

function referenceText({ table, onDelete }: Reference, old: Reference | undefined): string {
  if (old?.table !== table) return `refers to ${table} now`;
  if (old.onDelete === onDelete) return `refers to ${table} by other columns`;
  return `onDelete ${onDelete}; it was ${old.onDelete}`;
}

/** What is new about a column. */
function columnText({ before, after, fill }: ColumnChange): string {
  const next = after!;
  const given = fill === undefined ? undefined : fillWords(fill);
  if (before === undefined) {
    const those = next.usual === undefined ? 'rows that are there' : 'rows that are there, or made without one,';
    const rows = given === undefined ? '' : `; ${those} get ${given}`;
    return `new, ${next.nullable ? typeWords(next) : `required ${typeWords(next)}`}${rows}`;
  }
  const words: string[] = [];
  if (typeWords(before) !== typeWords(next)) words.push(`${typeWords(before)} becomes ${typeWords(next)}`);
  if (before.nullable !== next.nullable) words.push(next.nullable ? 'may be null now' : 'required now');
  words.push(...checkWords(before, next));
  if (before.usual !== undefined && next.usual === undefined)
    words.push(`rows made without one no longer get ${fillWords(before.usual)}`);
  if (next.usual !== undefined && before.usual === undefined)
    words.push(`rows made without one get ${fillWords(next.usual)}`);
  if (before.found !== undefined && next.found === undefined) words.push("its column becomes one of the tool's own");
  if (before.found === undefined && next.found !== undefined) words.push('its column becomes as it was found');
  if (words.length === 0 && !isSameColumn(before, next)) words.push('its values change inside');
  if (given !== undefined) words.push(`rows that can't stay as they are get ${given}`);
  return words.join('; ');
}

const typeWords = ({ type, scale }: Pick<Column, 'type' | 'scale'>): string =>
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

/** What counting found: the rows, and one of the values that make them so. */
export interface Counted {
  readonly count?: number;
  readonly example?: string;
}

/** What is in danger, by the number of rows; undefined where they can't be counted. Empty where there are none. */
export function riskText({ affected, consequence }: Risk, { count, example }: Counted): string {
  if (count === 0) return '';
  const rows = count === undefined ? 'rows' : counted(count, 'row');
  const values = count === undefined ? 'its values' : counted(count, 'value');
  const one = count === 1;
  if (consequence === 'loses') {
    if (affected.kind === 'rows') return `loses ${count === undefined ? 'its rows' : rows}`;
    if (affected.kind === 'unmoved')
      return `${count === undefined ? 'values' : values} may find no row to go to, and would be lost`;
    return `loses ${values}`;
  }
  // Without a count, the words stay open.
  const has = (verb: string, plural: string): string => (count === undefined ? `may ${plural}` : one ? verb : plural);
  const stops = consequence === 'stops' ? ', which stops it' : '';
  const isCounted =
    'column' in affected && typeof affected.column === 'object' && COUNTED.includes(affected.column.type);
  const shown = example === undefined ? '' : ` (${one ? '' : 'as '}${isCounted ? example : shortened(example)})`;
  switch (affected.kind) {
    case 'rows':
    case 'nulls':
      return `${rows} ${has('has', 'have')} no value for it${stops}`;
    case 'unfit':
      return `${rows} ${has('has', 'have')} a value that ${unfitWords(affected)}${shown}${stops}`;
    case 'broken':
      return `${rows} ${has('breaks', 'break')} it${shown}${stops}`;
    case 'twins':
      return `${rows} ${count === undefined ? 'may be' : one ? 'is' : 'are'} alike${shown}${stops}`;
    case 'dangling':
    case 'values':
    case 'inside':
    case 'unmoved':
      return `${rows} ${has('refers', 'refer')} to a record that is not there${shown}${stops}`;
  }
}

function unfitWords({ column, becomes }: { column: Column; becomes: Column }): string {
  if (column.type === becomes.type && becomes.type === 'decimal') {
    if (becomes.scale > column.scale) return `has no room in 18 digits, ${becomes.scale} of them after the point`;
    return `has no room in ${counted(becomes.scale, 'digit')} after the point`;
  }
  if (becomes.shape !== undefined && column.type === becomes.type) return 'has another form';
  return `can't become ${becomes.type} unchanged`;
}

/** Types whose values need no quotes. */
const COUNTED: readonly Column['type'][] = ['integer', 'number', 'decimal', 'boolean'];

const LONGEST_EXAMPLE = 40;
const shortened = (text: string): string =>
  JSON.stringify(text.length > LONGEST_EXAMPLE ? `${text.slice(0, LONGEST_EXAMPLE - 1)}…` : text);
