import { lastPicture, standingsOf } from '../../core/migrations/migration.ts';
import type { Migration, Standing } from '../../core/migrations/migration.ts';
import { historyOf, pictureOf } from '../../core/migrations/run.ts';
import type { Store } from '../../core/store/contract.ts';
import { designTables } from '../../core/tables/design.ts';
import { driftBetween } from '../../core/tables/description.ts';
import type { Drift } from '../../core/tables/description.ts';
import { noDecisions, redesign } from '../../core/tables/redesign.ts';
import type { Table } from '../../core/tables/table.ts';
import { sayingsOf } from '../../core/tables/words.ts';
import { EXIT } from '../../project/failure.ts';
import { moment } from '../../project/project.ts';
import { shownStore } from '../../project/shown-path.ts';
import type { Context } from '../command.ts';
import { soundProject } from '../sound-project.ts';
import { table } from '../terminal/table.ts';
import { onDatabase } from './on-database.ts';
import type { Terminal } from '../terminal/terminal.ts';

/** Which migrations have run, and whether the database is as they left it. */
export async function status(context: Context): Promise<number> {
  const { terminal } = context;
  const project = await soundProject(context);
  return onDatabase(project, async (store, migrations) => {
    const history = await historyOf(store, migrations, moment.now);
    const standings = standingsOf(migrations, history);
    const picture = await standingPicture(store, migrations, standings);
    const drift = picture === undefined ? [] : await driftOf(store, picture);
    const ahead = sayingsOf(redesign(lastPicture(migrations), designTables(project.graph), noDecisions), noDecisions);
    const changes = migrations.length === 0 ? [] : ahead.map(({ subject, text }) => `${subject}: ${text}`);
    terminal.value({ store: store.address, migrations: standings, drift, changes });
    show(terminal, store.address, standings, drift, changes);
    const wrong = drift.length > 0 || standings.some(({ state }) => state === 'changed' || state === 'missing');
    return wrong ? EXIT.foundWrong : EXIT.done;
  });
}

/** The tables as they should be now; undefined where the database has run what the project doesn't know. */
async function standingPicture(
  store: Store,
  migrations: readonly Migration[],
  standings: readonly Standing[],
): Promise<readonly Table[] | undefined> {
  if (standings.length === 0) return pictureOf(store);
  if (standings.some(({ state }) => state === 'missing')) return undefined;
  const ran = standings.filter(({ state }) => state !== 'waiting').map(({ name }) => name);
  return migrations.filter(({ name }) => ran.includes(name)).at(-1)?.after ?? [];
}

const driftOf = (store: Store, picture: readonly Table[]): Promise<Drift[]> =>
  store.alter(async (alteration) => driftBetween(await alteration.describe(), await alteration.describeAnew(picture)));

const WORDS: Readonly<Record<Standing['state'], string>> = {
  ran: 'ran',
  waiting: 'waits',
  changed: 'changed since it ran',
  missing: 'ran, and is not in migrations/',
};

function show(
  { show: say, paint }: Terminal,
  address: string,
  standings: readonly Standing[],
  drift: readonly Drift[],
  changes: readonly string[],
): void {
  const { bold, red, yellow, green, dim } = paint;
  say(bold(shownStore(address)));
  if (standings.length === 0) say('no migrations: until the first one is drafted, the database follows the models');
  else {
    const painted = { ran: green, waiting: yellow, changed: red, missing: red };
    const rows = standings.map(({ state, name, ran, checksum }) => [
      `  ${name}`,
      painted[state](WORDS[state]),
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
