import { lastSnapshot, secondSteps, statusesOf } from '../../core/migrations/migration.ts';
import type { Migration, MigrationStatus } from '../../core/migrations/migration.ts';
import { historyOf, snapshotOf } from '../../core/migrations/run.ts';
import type { Store } from '../../core/store/contract.ts';
import { changeSummaries } from '../../core/tables/change-summary.ts';
import { driftBetween } from '../../core/tables/description.ts';
import type { Drift } from '../../core/tables/description.ts';
import { designTables } from '../../core/tables/design.ts';
import { diffSchemas, noDecisions } from '../../core/tables/schema-diff.ts';
import type { Table } from '../../core/tables/table.ts';
import { EXIT } from '../../project/failure.ts';
import { runtime } from '../../project/project.ts';
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
  return onDatabase(project, async (store, migrations) => {
    const history = await historyOf(store, migrations, runtime.now);
    const statuses = statusesOf(migrations, history);
    const snapshot = await currentSnapshot(store, migrations, statuses);
    const drift = snapshot === undefined ? [] : await driftOf(store, snapshot);
    const ahead = changeSummaries(
      diffSchemas(lastSnapshot(migrations), designTables(project.graph), noDecisions),
      noDecisions,
    );
    const changes = migrations.length === 0 ? [] : ahead.map(({ subject, text }) => `${subject}: ${text}`);
    terminal.value({ store: store.address, migrations: statuses, drift, changes });
    const later = secondSteps(migrations).map(({ name }) => name);
    show(terminal, store.address, statuses, { drift, changes, later });
    const wrong = drift.length > 0 || statuses.some(({ state }) => state === 'changed' || state === 'missing');
    return wrong ? EXIT.foundWrong : EXIT.done;
  });
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
  store.alter(async (alteration) => driftBetween(await alteration.describe(), await alteration.describeAnew(snapshot)));

const WORDS: Readonly<Record<MigrationStatus['state'], string>> = {
  ran: 'ran',
  waiting: 'waits',
  changed: 'changed since it ran',
  missing: 'ran, and is not in migrations/',
};

const NEWER = 'ran by a newer version; services of this one go on';
const SECOND = 'waits for services of older versions to stop';

function show(
  { show: say, paint }: Terminal,
  address: string,
  statuses: readonly MigrationStatus[],
  { drift, changes, later }: { drift: readonly Drift[]; changes: readonly string[]; later: readonly string[] },
): void {
  const { bold, red, yellow, green, dim } = paint;
  say(bold(shownStore(address)));
  if (statuses.length === 0) say('no migrations: until the first one is drafted, the database follows the models');
  else {
    const painted = { ran: green, waiting: yellow, changed: red, missing: red };
    const rows = statuses.map(({ state, name, ran, checksum }) => [
      `  ${name}`,
      painted[state](
        state === 'waiting' && later.includes(name)
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
