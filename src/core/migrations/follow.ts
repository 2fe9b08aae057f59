import type { Alteration, Store } from '../store/contract.ts';
import { changeSummaries } from '../tables/change-summary.ts';
import { scriptText } from '../tables/ddl.ts';
import { questionsOf } from '../tables/match.ts';
import type { Renames } from '../tables/match.ts';
import { diffSchemas, isEmpty } from '../tables/schema-diff.ts';
import type { SchemaDiff } from '../tables/schema-diff.ts';
import type { Fill, Table } from '../tables/table.ts';
import { countRisks, fillable, isLossy, isStopped, summaryText } from './count.ts';
import { migrationStoreOf } from './migration-store.ts';
import type { MigrationStore } from './migration-store.ts';
import { refuseMissing } from './missing.ts';
import { makeOwnTables } from './own-tables.ts';
import { DecisionRequired, SchemaMismatch } from './schema-mismatch.ts';

/** The answers to the questions of a change. */
export interface Answers {
  readonly renames: Renames;
  /** Fields that look renamed and are not: `hut.altitude`. */
  readonly dropped: ReadonlySet<string>;
  /** Values may be lost. */
  readonly mayLose: boolean;
}

/** The version of a project that has none. */
const NO_MIGRATION = 0;

export const noAnswers: Answers = { renames: new Map(), dropped: new Set(), mayLose: false };

/**
 * Brings the tables of a young project, which has no migrations, to what its models want, holds the store to them, and
 * says in words what was done. Throws `Undecided` where that needs an answer, `OutOfStep` where it can't be done.
 */
export function followModels(
  store: Store,
  tables: readonly Table[],
  defaults: ReadonlyMap<string, Fill>,
  answers: Answers = noAnswers,
): Promise<string[]> {
  const migrationStore = migrationStoreOf(store);
  return store.alter(async (alteration) => {
    await makeOwnTables(alteration, store);
    const [last] = (await migrationStore.history(alteration)).slice(-1);
    if (last !== undefined) {
      const message = `the database ${store.address} has run migrations, up to ${last.name}, and the project has none`;
      throw new SchemaMismatch(message, 'bring migrations/ back, as from version control; or name another database');
    }
    await goOn(alteration, migrationStore);
    const before = (await migrationStore.snapshot(alteration)) ?? [];
    const decisions = { renames: answers.renames, fills: new Map<string, Fill>(), defaults };
    const plan = diffSchemas(before, tables, decisions);
    if (isEmpty(plan)) {
      refuseMissing(await alteration.tables(), tables, store.address);
      // Names alone may differ.
      if (JSON.stringify(before) !== JSON.stringify(tables)) await migrationStore.keepSnapshot(alteration, tables);
      await alteration.hold(NO_MIGRATION);
      return [];
    }
    refuseImpossible(plan);
    await refuseStrangers(alteration, plan, store.address);
    const summaries = await countRisks(changeSummaries(plan, decisions), { reader: alteration, ddl: store.ddl });
    const stopped = summaries.filter(isStopped);
    const questions = questionsOf(before, tables, answers.renames, answers.dropped);
    const lossy = summaries.filter(isLossy);
    if (lossy.length + stopped.length > 0 && questions.length > 0) throw new DecisionRequired(questions, lossy);
    if (stopped.length > 0) {
      const lines = stopped.map((summary) => `  ${summaryText(summary)}`).join('\n');
      const fill = fillable(stopped);
      const given = fill === undefined ? '' : `; vantfell migrate draft --fill ${fill}=… gives them a value`;
      const remedy = `mend those rows, or give the field a default${given}`;
      throw new SchemaMismatch(`the database ${store.address} can not follow the models:\n${lines}`, remedy);
    }
    if (lossy.length > 0 && !answers.mayLose) throw new DecisionRequired([], lossy);
    if (!summaries.every(({ goesOn }) => goesOn)) await alteration.letGo(() => true);
    await migrationStore.keepNext(alteration, tables);
    await alteration.script(scriptText('follow', store.ddl.diff(plan)), indexNames(before), FOLLOWING);
    await migrationStore.keepSnapshot(alteration, tables);
    await alteration.hold(NO_MIGRATION);
    return before.length === 0
      ? [`made ${tables.length === 1 ? '1 table' : `${tables.length} tables`}`]
      : summaries.map(summaryText);
  });
}

/** What the script is called that follows the models. */
const FOLLOWING = 'what follows the models';

/** A script that was broken off goes on to its end: the tables are then as it was to make them. */
async function goOn(alteration: Alteration, migrationStore: MigrationStore): Promise<void> {
  const half = await alteration.halfDone();
  if (half?.name !== FOLLOWING) return;
  await alteration.script(half.script, undefined, FOLLOWING);
  await migrationStore.keepSnapshot(alteration, await migrationStore.next(alteration));
}

/** Throws if a model's key has changed, or if values are to move between unrelated models. */
export function refuseImpossible({ otherKeys, unjoined, noWay }: SchemaDiff): void {
  for (const [from, to] of noWay) {
    throw new SchemaMismatch(
      `${from} can not become ${to}: no value of its type is one of the other`,
      `let it go with --drop ${from}; or give ${to} a type that takes its values`,
    );
  }
  for (const [from, to] of unjoined) {
    const message =
      `the values of ${from} can not move to ${to}: neither model ` + 'has a relation to the other that says where';
    throw new SchemaMismatch(message, 'move them by hand in the SQL of the migration; or let them go with --drop');
  }
  const [first] = otherKeys;
  if (first === undefined) return;
  const message = `${first} has another key than its records: nothing that refers to them would find them again`;
  throw new SchemaMismatch(
    message,
    'leave the key as it was; or make a model with another name, and bring over what is needed',
  );
}

/** An existing table that this tool did not make belongs to somebody else. */
export async function refuseStrangers(alteration: Alteration, plan: SchemaDiff, address: string): Promise<void> {
  const standing = new Set((await alteration.tables()).map((name) => name.toLowerCase()));
  for (const { from, to } of plan.renames.filter(({ table }) => table === undefined)) {
    standing.delete(from.toLowerCase());
    standing.add(to.toLowerCase());
  }
  const [stranger] = plan.created.filter(({ name }) => standing.has(name.toLowerCase()));
  if (stranger !== undefined) throw strangersTable(address, stranger.name);
}

export const strangersTable = (address: string, name: string): SchemaMismatch =>
  new SchemaMismatch(
    `the database ${address} has a table ${name} already, and this tool did not make it`,
    `give the model another one, as table: my_${name}; or name another database with store: in vantfell.yaml`,
  );

/** The names of all indexes of a design. */
export const indexNames = (tables: readonly Table[]): ReadonlySet<string> =>
  new Set(tables.flatMap(({ unique, indexes }) => [...unique, ...indexes].map(({ name }) => name)));
