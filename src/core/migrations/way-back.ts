import type { Store } from '../store/contract.ts';
import { changeSummaries, fillWords } from '../tables/change-summary.ts';
import type { ChangeSummary } from '../tables/change-summary.ts';
import { conversionOf } from '../tables/conversion.ts';
import { backwards, diffSchemas } from '../tables/schema-diff.ts';
import type { Decisions, SchemaDiff } from '../tables/schema-diff.ts';
import { called } from '../tables/table.ts';
import type { Column, Table } from '../tables/table.ts';
import { countRisks } from './count.ts';
import { neutralFills } from './defaults.ts';
import type { Migration } from './migration.ts';
import type { CountedSummary } from './schema-mismatch.ts';

/** The effects of an undo. */
export interface WayBack {
  /** What changes, step by step, the newest migration first. */
  readonly summaries: readonly CountedSummary[];
  /** What an undo does not restore: `hut.altitude: comes back without its values`. */
  readonly unrestored: readonly string[];
}

/** How a migration is undone: the tables before and after, and the decisions about them. */
export function stepBack(migrations: readonly Migration[], migration: Migration) {
  const before = migrations[migrations.indexOf(migration) - 1]?.after ?? [];
  const forward = { renames: migration.renames, fills: new Map(), defaults: new Map() };
  const decisions: Decisions = backwards(forward, neutralFills(before));
  return { from: migration.after, to: before, decisions, plan: diffSchemas(migration.after, before, decisions) };
}

/** `chosen` are the last of the migrations that ran, the newest first. */
export async function wayBackOf(
  store: Store,
  migrations: readonly Migration[],
  chosen: readonly Migration[],
): Promise<WayBack> {
  const now = chosen[0]?.after ?? [];
  const summaries: CountedSummary[] = [];
  const unrestored: string[] = [];
  const remade = new Set<string>();
  for (const migration of chosen) {
    const { from, to, decisions, plan } = stepBack(migrations, migration);
    const said = changeSummaries(plan, decisions).map((summary) => withoutEmpty(summary, from, remade));
    const counted = said.every((summary) => isStanding(summary, now)) && migration.renames.size === 0;
    const isNewest = migration === chosen[0];
    const reader = isNewest || counted ? { reader: store, ddl: store.ddl } : undefined;
    summaries.push(...(await countRisks(said, reader)));
    const filled = migration.filled.map((name) => `${name}: what got a fill does not come back as it was`);
    unrestored.push(...comingBack(plan, to), ...otherForms(plan), ...filled);
    for (const table of plan.created) remade.add(table.of);
    for (const { after, columns } of plan.changed) {
      for (const column of columns) if (column.before === undefined) remade.add(called(after, column.after!));
    }
  }
  return { summaries, unrestored };
}

/** What an earlier step restored has nothing to lose. */
function withoutEmpty(summary: ChangeSummary, from: readonly Table[], remade: ReadonlySet<string>): ChangeSummary {
  const model = summary.subject.split('.')[0]!;
  const isEmpty = remade.has(summary.subject) || (remade.has(model) && from.some(({ of }) => of === model));
  return isEmpty ? { ...summary, risks: summary.risks.filter(({ consequence }) => consequence !== 'loses') } : summary;
}

/** Whether the rows of a change exist in the current database, under those names. */
export const isStanding = ({ risks }: ChangeSummary, now: readonly Table[]): boolean =>
  risks.every(({ affected }) => {
    const table = now.find(({ name }) => name === affected.table);
    const other = 'reference' in affected ? affected.reference.table : affected.table;
    if (table === undefined || !now.some(({ name }) => name === other)) return false;
    const columns =
      'columns' in affected
        ? affected.columns.map(({ column }) => column)
        : 'column' in affected
          ? [affected.column]
          : [];
    return columns.every((column) => {
      const standing = table.columns.find(({ name }) => name === (typeof column === 'string' ? column : column.name));
      if (standing === undefined || typeof column === 'string') return standing !== undefined;
      // Rows that another migration has changed since cannot be counted.
      return standing.type === column.type && standing.scale === column.scale;
    });
  });

function comingBack({ created, changed }: SchemaDiff, to: readonly Table[]): string[] {
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

/** Texts that were another type come back in its form. */
const otherForms = ({ changed }: SchemaDiff): string[] =>
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
