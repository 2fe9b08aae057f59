import { kindOfAddress } from '../../core/model/service.ts';
import { existsSync } from 'node:fs';
import { countRisks } from '../../core/migrations/count.ts';
import { draftMigration, hasChanges } from '../../core/migrations/draft.ts';
import type { Drafted } from '../../core/migrations/draft.ts';
import { refuseImpossible } from '../../core/migrations/follow.ts';
import { migrationStoreOf } from '../../core/migrations/migration-store.ts';
import { lastSnapshot, statusesOf } from '../../core/migrations/migration.ts';
import type { Migration } from '../../core/migrations/migration.ts';
import type { CountedSummary } from '../../core/migrations/schema-mismatch.ts';
import { twoSteps } from '../../core/migrations/two-steps.ts';
import type { Step } from '../../core/migrations/two-steps.ts';
import { isStanding } from '../../core/migrations/way-back.ts';
import type { Store } from '../../core/store/contract.ts';
import { changeSummaries } from '../../core/tables/change-summary.ts';
import { designTables } from '../../core/tables/design.ts';
import { keepingFound } from '../../core/tables/found.ts';
import { questionsOf } from '../../core/tables/match.ts';
import { migrationsTable } from '../../core/tables/own-tables.ts';
import { columnRisks } from '../../core/tables/risk.ts';
import { diffSchemas, isSameDesign, noDecisions } from '../../core/tables/schema-diff.ts';
import type { Decisions, SchemaDiff } from '../../core/tables/schema-diff.ts';
import { called } from '../../core/tables/table.ts';
import type { Table } from '../../core/tables/table.ts';
import { indivisible } from '../../core/tables/two-steps.ts';
import { openBare, told } from '../../project/database.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { readMigrations, writeMigration } from '../../project/migrations.ts';
import { isFile, storeAddress } from '../../project/project.ts';
import { ddls } from '../../store/ddl.ts';
import type { Arguments, Context } from '../command.ts';
import { soundProject } from '../load-project.ts';
import { resolveQuestions } from '../resolve-questions.ts';
import { readDecisions } from './decisions.ts';
import { showDraft } from './show-draft.ts';
import type { WrittenMigration } from './show-draft.ts';
import { refuseLostColumns, takeOver } from './take-over.ts';

/** Writes what has changed in the models as a migration. */
export async function draft(context: Context, given: Arguments): Promise<number> {
  const title = readTitle(given.name);
  const standing = await soundProject(context);
  const taken = standing.graph.service.isTheirs ? await takeOver(context, standing) : undefined;
  const project = taken === undefined ? standing : await soundProject(context);
  if (project.graph.service.isTheirs) return EXIT.foundWrong;
  const address = storeAddress(project);
  const migrations = readMigrations(project.folder, kindOfAddress(address));
  const designed = designTables(project.graph);
  const database = await standingDatabase(context, address, migrations);
  try {
    const kept = migrations.length === 0 ? database?.snapshot : undefined;
    const before = kept ?? lastSnapshot(migrations);
    const { decisions: said, dropped } = readDecisions(given, project.graph, before, designed);
    const answers = await answerAll(context, before, designed, said, dropped);
    const after = keepingFound(designed, before, answers);
    const decisions: Decisions = { ...said, renames: answers };
    const kinds = new Map(project.graph.service.stores.map((kind) => [kind, ddls[kind]]));
    const written: WrittenMigration[] = [];
    const first = taken === undefined ? [] : [taken.written];
    const make = (of: Step, name?: string): Drafted => {
      const number = (migrations.at(-1)?.number ?? 0) + written.length + 1;
      return draftMigration({ ...of, number, title: name, ddls: kinds });
    };
    // The current tables of a project without migrations become its first migration, which counts as run in its own
    // database.
    const isAdopted = kept !== undefined && kept.length > 0;
    if (isAdopted) {
      const drafted = make({ before: [], after: kept, decisions: noDecisions });
      written.push({ drafted, summaries: [], isAdopted, isDivisible: false });
    }
    if (hasChanges(before, after, decisions)) {
      const plan = diffSchemas(before, after, decisions);
      refuseImpossible(plan);
      const isCounted = database?.isAtSnapshot === true && before.length > 0;
      const reader = isCounted ? { reader: database.store, ddl: database.store.ddl } : undefined;
      const summaries = await countRisks(changeSummaries(plan, decisions), reader);
      refuseUnfilled(summaries);
      refuseNeedless(plan, decisions, migrations);
      if (project.graph.service.isTakenOver && database !== undefined) await refuseLostColumns(database.store, plan);
      for (const words of lostRules(plan))
        context.terminal.say(`a rule of the database goes with what it is about: ${words}`);
      const inTwo = given['two-steps'] === true;
      const steps = inTwo ? twoSteps(before, after, decisions) : [{ before, after, decisions }];
      const isDivisible = indivisible(plan).length === 0;
      for (const step of steps) {
        const drafted = make(step, title);
        // What the first step makes has no rows yet that the second could meet.
        const standing = drafted.summaries.filter((summary) => isStanding(summary, before));
        const counted = inTwo ? await countRisks(standing, reader) : summaries;
        written.push({ drafted, summaries: counted, isAdopted: false, isDivisible });
      }
    }
    if (first.length + written.length === 0) {
      context.terminal.value({ written: [], changes: [] });
      context.terminal.show('nothing to draft: the models are as the last migration left them');
      return EXIT.done;
    }
    const files = [
      ...(taken?.files ?? []),
      ...written.flatMap(({ drafted }) => writeMigration(project.folder, drafted)),
    ];
    if (isAdopted) await keepDrafted(database!.store, written[0]!.drafted.name);
    showDraft(context, project.graph.service.stores, [...first, ...written], { files, sql: given.sql === true });
    return EXIT.done;
  } catch (error) {
    throw told(error, address);
  } finally {
    await database?.store.close();
  }
}

/** Rules of tables that are made anew without columns that they are about. */
const lostRules = ({ changed }: SchemaDiff): string[] =>
  changed.flatMap(({ before, after }) => {
    const kept = after.beside?.checks ?? [];
    return (before.beside?.checks ?? [])
      .filter((words) => !kept.includes(words))
      .map((words) => `${before.name}: ${words}`);
  });

function readTitle(name: unknown): string | undefined {
  if (typeof name !== 'string') return undefined;
  if (/^[a-z0-9][a-z0-9-]{0,59}$/.test(name)) return name;
  throw new Failure(
    EXIT.wrongCommand,
    `--name ${name} is no name`,
    'small letters, digits and hyphens, as --name add-altitude',
  );
}

interface StandingDatabase {
  readonly store: Store;
  /** The tables of a young project. */
  readonly snapshot?: readonly Table[];
  /** It has run all earlier migrations, so its rows can be counted. */
  readonly isAtSnapshot: boolean;
}

/** The project's database, where there is one and it can be had: a draft can do without. */
async function standingDatabase(
  { terminal }: Context,
  address: string,
  migrations: readonly Migration[],
): Promise<StandingDatabase | undefined> {
  if (isFile(address) && !existsSync(address.slice('sqlite:'.length))) return undefined;
  let store: Store;
  try {
    store = await openBare(address);
  } catch (error) {
    if (!(error instanceof Failure)) throw error;
    terminal.say(`${error.message}: rows are not counted`);
    return undefined;
  }
  const migrationStore = migrationStoreOf(store);
  const names = await store.alter((alteration) => alteration.tables());
  if (!names.includes(migrationsTable.name)) return { store, isAtSnapshot: migrations.length === 0 };
  const history = await migrationStore.history(store);
  const snapshot = history.length === 0 ? await migrationStore.snapshot(store) : undefined;
  const isAtSnapshot =
    snapshot === undefined
      ? statusesOf(migrations, history).every(({ state }) => state === 'ran')
      : migrations.length === 0 || isSameDesign(snapshot, lastSnapshot(migrations));
  return { store, snapshot, isAtSnapshot };
}

/** More than one migration may end with the same tables: this database is at the first of them. */
const keepDrafted = (store: Store, name: string): Promise<void> =>
  store.alter((alteration) => migrationStoreOf(store).keepDrafted(alteration, name));

async function answerAll(
  context: Context,
  before: readonly Table[],
  after: readonly Table[],
  { renames }: Decisions,
  dropped: ReadonlySet<string>,
): Promise<Decisions['renames']> {
  let known: { renames: Decisions['renames']; dropped: ReadonlySet<string> } = { renames, dropped };
  for (;;) {
    const questions = questionsOf(before, after, known.renames, known.dropped);
    if (questions.length === 0) return known.renames;
    known = await resolveQuestions(context, questions, known);
  }
}

/** A new column that must have a value needs one for the rows that are there. */
function refuseUnfilled(summaries: readonly CountedSummary[]): void {
  const unfilled = summaries.filter(({ risks }) =>
    risks.some(
      ({ affected, consequence, count }) => affected.kind === 'rows' && consequence === 'stops' && count !== 0,
    ),
  );
  const [first] = unfilled;
  if (first === undefined) return;
  const lines = unfilled.map(({ subject, risks }) => {
    const [count] = risks.map((risk) => risk.count);
    const rows =
      count === undefined ? 'the rows that may be there have' : count === 1 ? '1 row has' : `${count} rows have`;
    return `${subject} is new and required, and ${rows} no value for it`;
  });
  const remedy = `give one, as --fill ${first.subject}=…; or a constant default in the model; or let it be null`;
  throw new Failure(EXIT.foundWrong, lines.join('\n'), remedy);
}

/** A fill for an unchanged field: most likely it was meant for a migration that is written already. */
function refuseNeedless(plan: SchemaDiff, { fills }: Decisions, migrations: readonly Migration[]): void {
  const needed = new Set([
    ...plan.created.flatMap((table) => table.columns.map((column) => called(table, column))),
    ...plan.changed.flatMap((change) =>
      change.columns
        .filter((column) => column.before === undefined || columnRisks(change, column).length > 0)
        .flatMap(({ after }) => (after === undefined ? [] : [called(change.after, after)])),
    ),
  ]);
  const needless = [...fills.keys()].find((name) => !needed.has(name));
  if (needless === undefined) return;
  const last = migrations.at(-1);
  const remedy =
    last === undefined
      ? 'leave it out'
      : `leave it out; or, where it is meant for ${last.name}, delete that before it runs and draft it again`;
  throw new Failure(
    EXIT.wrongCommand,
    `--fill ${needless}: nothing about it changes that rows would need a value for`,
    remedy,
  );
}
