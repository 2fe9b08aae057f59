import stringify from 'json-stringify-pretty-compact';
import type { StoreKind } from '../model/service.ts';
import { scriptText } from '../tables/ddl.ts';
import type { Ddl } from '../tables/ddl.ts';
import { shortName } from '../tables/names.ts';
import { backwards, isEmpty, redesign } from '../tables/redesign.ts';
import type { Decisions, Redesign } from '../tables/redesign.ts';
import { called } from '../tables/table.ts';
import type { Table } from '../tables/table.ts';
import { sayingsOf } from '../tables/words.ts';
import type { Saying } from '../tables/words.ts';
import { neutralFills } from './defaults.ts';

/** A migration as it is written: a folder, its files and their texts. */
export interface Drafted {
  readonly name: string;
  readonly files: Readonly<Record<string, string>>;
  readonly sayings: readonly Saying[];
}

export interface DraftOf {
  readonly number: number;
  /** What comes behind the number; left out: the first thing that changes. */
  readonly title?: string;
  readonly before: readonly Table[];
  readonly after: readonly Table[];
  readonly decisions: Decisions;
  readonly ddls: ReadonlyMap<StoreKind, Ddl>;
}

export const AFTER_FILE = 'after.json';
export const forwardFile = (kind: string): string => `${kind}.forward.sql`;
export const backFile = (kind: string): string => `${kind}.back.sql`;

/** The names of the databases, as people write them. */
const DATABASES: Readonly<Record<StoreKind, string>> = { sqlite: 'SQLite', postgres: 'PostgreSQL' };

export function draftMigration({ number, title, before, after, decisions, ddls }: DraftOf): Drafted {
  const plan = redesign(before, after, decisions);
  const wayBack = redesign(after, before, backwards(decisions, neutralFills(before)));
  const sayings = sayingsOf(plan, decisions);
  const name = `${String(number).padStart(4, '0')}-${title ?? titleOf(sayings, before.length === 0)}`;
  const files: Record<string, string> = {};
  for (const [kind, ddl] of ddls) {
    const inside =
      kind === 'sqlite' ? ' It runs in a transaction with foreign_keys off; they are checked at its end.' : '';
    const head = (way: string): string => `${name}, ${way}, for ${DATABASES[kind]}.${inside}`;
    files[forwardFile(kind)] = scriptText(head('forward'), ddl.redesign(plan));
    files[backFile(kind)] = scriptText(head('back'), ddl.redesign(wayBack));
  }
  files[AFTER_FILE] = pictureText(after, decisions, plan);
  return { name, files, sayings };
}

/** Whether a migration would do anything. */
export const hasChanges = (before: readonly Table[], after: readonly Table[], decisions: Decisions): boolean =>
  decisions.renames.size > 0 || !isEmpty(redesign(before, after, decisions));

function pictureText(tables: readonly Table[], { renames }: Decisions, { changed }: Redesign): string {
  const filled = changed.flatMap(({ after, columns }) =>
    columns.flatMap((one) => (one.before === undefined || one.fill === undefined ? [] : [called(after, one.after!)])),
  );
  const said = {
    ...(renames.size === 0 ? {} : { renames: Object.fromEntries(renames) }),
    ...(filled.length === 0 ? {} : { filled }),
  };
  return `${stringify({ ...said, tables }, { maxLength: 140 })}\n`;
}

/** `add-hut-altitude`: the first thing that changes, and that there is more. */
function titleOf(sayings: readonly Saying[], isFirst: boolean): string {
  if (isFirst) return 'first-tables';
  const [first, ...more] = sayings;
  if (first === undefined) return 'names';
  const subject = first.subject
    .replace(/[^a-z0-9]+/gi, '-')
    .replace(/^-|-$/g, '')
    .toLowerCase();
  const verb = /^new\b|new index|^unique now/.test(first.text)
    ? 'add'
    : /goes$|^no longer/.test(first.text)
      ? 'drop'
      : / is called | called /.test(` ${first.text}`)
        ? 'rename'
        : first.text.startsWith('moves')
          ? 'move'
          : 'change';
  return shortName(`${verb}-${subject}${more.length > 0 ? '-and-more' : ''}`).replaceAll('_', '-');
}
