import stringify from 'json-stringify-pretty-compact';
import { databaseNames } from '../model/service.ts';
import type { StoreKind } from '../model/service.ts';
import { changeSummaries } from '../tables/change-summary.ts';
import type { ChangeSummary } from '../tables/change-summary.ts';
import { scriptText } from '../tables/ddl.ts';
import type { Ddl } from '../tables/ddl.ts';
import { shortName } from '../tables/names.ts';
import { backwards, diffSchemas, isEmpty } from '../tables/schema-diff.ts';
import type { Decisions } from '../tables/schema-diff.ts';
import { called } from '../tables/table.ts';
import type { Table } from '../tables/table.ts';
import { neutralFills } from './defaults.ts';

/** A migration as it is written: a folder, its files and their texts. */
export interface Drafted {
  readonly name: string;
  readonly files: Readonly<Record<string, string>>;
  readonly summaries: readonly ChangeSummary[];
  /** Services of the version before can't go on with the tables after it, and nothing waits for them to stop. */
  readonly stopsServices: boolean;
  readonly isSecondStep: boolean;
}

export interface DraftOf {
  readonly number: number;
  /** The name after the number; left out: from the first change. */
  readonly title?: string;
  readonly before: readonly Table[];
  readonly after: readonly Table[];
  readonly decisions: Decisions;
  readonly ddls: ReadonlyMap<StoreKind, Ddl>;
  readonly isSecondStep?: boolean;
}

export const AFTER_FILE = 'after.json';
export const forwardFile = (kind: string): string => `${kind}.forward.sql`;
export const backFile = (kind: string): string => `${kind}.back.sql`;

/** How a migration runs where that is not in one transaction with all it needs. */
const REMARKS: Readonly<Partial<Record<StoreKind, string>>> = {
  sqlite: ' It runs in a transaction with foreign_keys off; they are checked at its end.',
  mariadb: ' Each statement on tables is kept by itself: `back` says what takes one back again.',
};

export function draftMigration(of: DraftOf): Drafted {
  const { number, title, before, after, decisions, ddls } = of;
  const plan = diffSchemas(before, after, decisions);
  const wayBack = diffSchemas(after, before, backwards(decisions, neutralFills(before)));
  const summaries = changeSummaries(plan, decisions);
  const { isSecondStep = false } = of;
  const servicesGoOn = before.length > 0 && summaries.every(({ goesOn }) => goesOn);
  const second = isSecondStep ? '-second-step' : '';
  const name = `${String(number).padStart(4, '0')}-${title ?? titleOf(summaries, before.length === 0)}${second}`;
  const files: Record<string, string> = {};
  for (const [kind, ddl] of ddls) {
    const head = (way: string): string => `${name}, ${way}, for ${databaseNames[kind]}.${REMARKS[kind] ?? ''}`;
    files[forwardFile(kind)] = scriptText(head('forward'), ddl.diff(plan));
    files[backFile(kind)] = scriptText(head('back'), ddl.diff(wayBack));
  }
  const filled = plan.changed.flatMap(({ after, columns }) =>
    columns.flatMap((one) => (one.before === undefined || one.fill === undefined ? [] : [called(after, one.after!)])),
  );
  const said = {
    ...(servicesGoOn ? { servicesGoOn } : {}),
    ...(isSecondStep ? { isSecondStep } : {}),
    ...(decisions.renames.size === 0 ? {} : { renames: Object.fromEntries(decisions.renames) }),
    ...(filled.length === 0 ? {} : { filled }),
  };
  files[AFTER_FILE] = `${stringify({ ...said, tables: after }, { maxLength: 140 })}\n`;
  const stopsServices = before.length > 0 && !servicesGoOn && !isSecondStep;
  return { name, files, summaries, stopsServices, isSecondStep };
}

/** Whether a migration would do anything. */
export const hasChanges = (before: readonly Table[], after: readonly Table[], decisions: Decisions): boolean =>
  decisions.renames.size > 0 || !isEmpty(diffSchemas(before, after, decisions));

/** `add-hut-altitude`: the first change, with a mark if there are more. */
function titleOf(summaries: readonly ChangeSummary[], isFirst: boolean): string {
  if (isFirst) return 'first-tables';
  const [first, ...more] = summaries;
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
