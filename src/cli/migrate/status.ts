import { halfDoneIn, halfDoneRemedy, halfDoneText, isGoingBack, migrationOf } from '../../core/migrations/half-done.ts';
import { lastSnapshot, secondSteps, statusesOf } from '../../core/migrations/migration.ts';
import type { Migration, MigrationStatus } from '../../core/migrations/migration.ts';
import { historyOf, snapshotOf } from '../../core/migrations/run.ts';
import type { HalfDone, Store } from '../../core/store/contract.ts';
import { changeSummaries } from '../../core/tables/change-summary.ts';
import { driftBetween } from '../../core/tables/description.ts';
import type { Drift } from '../../core/tables/description.ts';
import { designTables } from '../../core/tables/design.ts';
import { isKnownDrift, keepingFound, withoutFound } from '../../core/tables/found.ts';
import { diffSchemas, noDecisions } from '../../core/tables/schema-diff.ts';
import type { Table } from '../../core/tables/table.ts';
import { EXIT } from '../../project/failure.ts';
import { runtime } from '../../project/project.ts';
import type { SoundProject } from '../../project/project.ts';
import { shownStore } from '../../project/shown-path.ts';
import type { Context } from '../command.ts';
import { soundProject } from '../load-project.ts';
import { table } from '../terminal/table.ts';
import type { Terminal } from '../terminal/terminal.ts';
import { onDatabase } from './on-database.ts';

/** Which migrations have run, and whether the database is as they left it. */
export async function status(context: Context): Promise<number> {
  const { terminal } = context;
  const project = await soundProject(context);
  if (project.graph.service.isTheirs) return fits(context, await soundProject(context, { fitted: true }));
  return onDatabase(project, async (store, migrations) => {
    const history = await historyOf(store, migrations, runtime.now);
    const statuses = statusesOf(migrations, history);
    const snapshot = await currentSnapshot(store, migrations, statuses);
    const half = await halfDoneIn(store);
    // What is half done is no drift.
    const drift = snapshot === undefined || half !== undefined ? [] : await driftOf(store, snapshot);
    const last = lastSnapshot(migrations);
    const wanted = keepingFound(designTables(project.graph), last);
    const ahead = changeSummaries(diffSchemas(last, wanted, noDecisions), noDecisions);
    const changes = migrations.length === 0 ? [] : ahead.map(({ subject, text }) => `${subject}: ${text}`);
    const broken = half && { migration: migrationOf(half), done: half.done, of: half.of, back: isGoingBack(half) };
    terminal.value({ store: store.address, migrations: statuses, halfDone: broken ?? null, drift, changes });
    const later = secondSteps(migrations).map(({ name }) => name);
    show(terminal, store.address, statuses, { half, drift, changes, later });
    const wrong =
      half !== undefined ||
      drift.length > 0 ||
      statuses.some(({ state }) => state === 'changed' || state === 'missing');
    return wrong ? EXIT.foundWrong : EXIT.done;
  });
}

/** Of tables that were there before the models, nothing is known but that the models fit them. */
function fits({ terminal }: Context, { graph }: SoundProject): number {
  const { isBare } = graph.fitted!;
  terminal.value({ fits: true, ownTables: !isBare });
  terminal.show('the tables were there before the models, and the models fit them');
  if (isBare) terminal.show("the database has none of the tool's own tables: vantfell migrate own makes them");
  return EXIT.done;
}

/** The tables as they should be now; undefined where the database has run what the project doesn't know. */
async function currentSnapshot(
  store: Store,
  migrations: readonly Migration[],
  statuses: readonly MigrationStatus[],
): Promise<readonly Table[] | undefined> {
  if (statuses.length === 0) return snapshotOf(store);
  if (statuses.some(({ state }) => state === 'missing')) return undefined;
  const ran = statuses.filter(({ state }) => state !== 'waiting').map(({ name }) => name);
  return migrations.filter(({ name }) => ran.includes(name)).at(-1)?.after ?? [];
}

const driftOf = (store: Store, snapshot: readonly Table[]): Promise<Drift[]> =>
  store.alter(async (alteration) => {
    const anew = await alteration.describeAnew(withoutFound(snapshot));
    return driftBetween(await alteration.describe(), anew).filter((drift) => isKnownDrift(drift, snapshot));
  });

const WORDS: Readonly<Record<MigrationStatus['state'], string>> = {
  ran: 'ran',
  waiting: 'waits',
  changed: 'changed since it ran',
  missing: 'ran, and is not in migrations/',
};

const NEWER = 'ran by a newer version; services of this one go on';
const SECOND = 'waits for services of older versions to stop';

/** What is shown beside the migrations. */
interface Shown {
  readonly half: HalfDone | undefined;
  readonly drift: readonly Drift[];
  readonly changes: readonly string[];
  readonly later: readonly string[];
}

function show(
  { show: say, paint }: Terminal,
  address: string,
  statuses: readonly MigrationStatus[],
  { half, drift, changes, later }: Shown,
): void {
  const { bold, red, yellow, green, dim } = paint;
  say(bold(shownStore(address)));
  if (statuses.length === 0) say('no migrations: until the first one is drafted, the database follows the models');
  else {
    const isHalf = (name: string): boolean => half !== undefined && migrationOf(half) === name;
    const painted = { ran: green, waiting: yellow, changed: red, missing: red };
    const rows = statuses.map(({ state, name, ran, checksum }) => [
      `  ${name}`,
      (isHalf(name) ? red : painted[state])(
        isHalf(name)
          ? halfDoneText(half!)
          : state === 'waiting' && later.includes(name)
            ? SECOND
            : ran?.servicesGoOn === true && state === 'missing'
              ? NEWER
              : WORDS[state],
      ),
      ran === undefined ? '' : ran.batch,
      ran === undefined ? '' : `${ran.ranAt.slice(0, 16).replace('T', ' ')} UTC`,
      ran === undefined || ran.checksum === checksum ? dim(checksum) : red(`${ran.checksum}, now ${checksum}`),
    ]);
    say(table([['  migration', '', 'batch', 'when', 'checksum'], ...rows], [2]));
  }
  if (half !== undefined) say(`→ ${halfDoneRemedy(half)}`);
  if (drift.length > 0) {
    say(red('\nthe database has drifted from what its migrations made:'));
    say(table(drift.map(driftRow)));
    say('→ take it back by hand; or, where it is meant, change the models and draft a migration');
  }
  if (changes.length > 0) {
    say(yellow('\nthe models have changed since the last migration:'));
    changes.forEach((line) => say(`  ${line}`));
    say('→ vantfell migrate draft');
  }
}

function driftRow({ table: name, part, is, shouldBe }: Drift): string[] {
  if (part === undefined) return [`  ${name}`, 'is missing'];
  const [kind = '', ...rest] = part.split(' ');
  const subject = kind === 'column' ? `  ${name}.${rest.join(' ')}` : `  ${name}, ${part}`;
  if (is === undefined) return [subject, `is missing; it should be ${shouldBe}`];
  if (shouldBe === undefined) return [subject, `should not be there: ${is}`];
  return [subject, `is ${is}; it should be ${shouldBe}`];
}
