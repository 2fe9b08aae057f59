import type { Store } from '../store/contract.ts';
import { conversionOf } from '../tables/conversion.ts';
import { backwards, redesign } from '../tables/redesign.ts';
import type { Decisions, Redesign } from '../tables/redesign.ts';
import { called } from '../tables/table.ts';
import type { Column, Table } from '../tables/table.ts';
import { fillWords, sayingsOf } from '../tables/words.ts';
import type { Saying } from '../tables/words.ts';
import { countDangers } from './count.ts';
import { neutralFills } from './defaults.ts';
import type { Migration } from './migration.ts';
import type { CountedSaying } from './out-of-step.ts';

/** What comes of taking migrations back. */
export interface WayBack {
  /** What changes, step by step, the newest migration first. */
  readonly sayings: readonly CountedSaying[];
  /** What does not come back as it was, and loses nothing more by it: `hut.altitude: comes back without its values`. */
  readonly unrestored: readonly string[];
}

/** How a migration is taken back: the tables from where to where, and what was said of them. */
export function stepBack(migrations: readonly Migration[], migration: Migration) {
  const before = migrations[migrations.indexOf(migration) - 1]?.after ?? [];
  const forward = { renames: migration.renames, fills: new Map(), defaults: new Map() };
  const decisions: Decisions = backwards(forward, neutralFills(before));
  return { from: migration.after, to: before, decisions, plan: redesign(migration.after, before, decisions) };
}

/** `chosen` are the last of the migrations that ran, the newest first. */
export async function wayBackOf(
  store: Store,
  migrations: readonly Migration[],
  chosen: readonly Migration[],
): Promise<WayBack> {
  const now = chosen[0]?.after ?? [];
  const sayings: CountedSaying[] = [];
  const unrestored: string[] = [];
  const remade = new Set<string>();
  for (const migration of chosen) {
    const { from, to, decisions, plan } = stepBack(migrations, migration);
    const said = sayingsOf(plan, decisions).map((saying) => withoutEmpty(saying, from, remade));
    const counted = said.every((saying) => isStanding(saying, now)) && migration.renames.size === 0;
    const isNewest = migration === chosen[0];
    const reader = isNewest || counted ? { reader: store, ddl: store.ddl } : undefined;
    sayings.push(...(await countDangers(said, reader)));
    const filled = migration.filled.map((name) => `${name}: what got a fill does not come back as it was`);
    unrestored.push(...comingBack(plan, to), ...otherForms(plan), ...filled);
    for (const table of plan.created) remade.add(table.of);
    for (const { after, columns } of plan.changed) {
      for (const column of columns) if (column.before === undefined) remade.add(called(after, column.after!));
    }
  }
  return { sayings, unrestored };
}

/** What came back a step before has nothing to lose. */
function withoutEmpty(saying: Saying, from: readonly Table[], remade: ReadonlySet<string>): Saying {
  const model = saying.subject.split('.')[0]!;
  const isEmpty = remade.has(saying.subject) || (remade.has(model) && from.some(({ of }) => of === model));
  return isEmpty ? { ...saying, dangers: saying.dangers.filter(({ consequence }) => consequence !== 'loses') } : saying;
}

/** Whether the rows that a saying is about stand in the database as it is, under those names. */
const isStanding = ({ dangers }: Saying, now: readonly Table[]): boolean =>
  dangers.every(({ hazard }) => {
    const table = now.find(({ name }) => name === hazard.table);
    const other = 'reference' in hazard ? hazard.reference.table : hazard.table;
    if (table === undefined || !now.some(({ name }) => name === other)) return false;
    const columns =
      'columns' in hazard ? hazard.columns.map(({ column }) => column) : 'column' in hazard ? [hazard.column] : [];
    return columns.every((column) => {
      const standing = table.columns.find(({ name }) => name === (typeof column === 'string' ? column : column.name));
      if (standing === undefined || typeof column === 'string') return standing !== undefined;
      // What another migration has made of it since is nothing that could be counted.
      return standing.type === column.type && standing.scale === column.scale;
    });
  });

function comingBack({ created, changed }: Redesign, to: readonly Table[]): string[] {
  const fills = neutralFills(to);
  return [
    ...created.map(({ of }) => `${of}: comes back without its rows`),
    ...changed.flatMap(({ after, columns }) =>
      columns.flatMap(({ before, after: column, moved }) => {
        if (before !== undefined || moved) return [];
        const fill = column!.nullable ? undefined : fills.get(called(after, column!));
        const instead = fill === undefined ? '' : `; each row gets ${fillWords(fill)}`;
        return [`${called(after, column!)}: comes back without its values${instead}`];
      }),
    ),
  ];
}

/** Texts that became something else come back in that one's form. */
const otherForms = ({ changed }: Redesign): string[] =>
  changed.flatMap(({ after, columns }) =>
    columns.flatMap(({ before, after: column }) =>
      before !== undefined && column !== undefined && hasOneForm(before, column)
        ? [`${called(after, column)}: its texts come back in the one form that ${before.type} has`]
        : [],
    ),
  );

const hasOneForm = (before: Column, after: Column): boolean =>
  ['decimal', 'date-time', 'time', 'uuid'].includes(before.type) &&
  ['string', 'text'].includes(after.type) &&
  conversionOf(before, after) === 'each';
