import { kindOfAddress } from '../../core/model/service.ts';
import { dropAll } from '../../core/migrations/drop-all.ts';
import { lastSnapshot, secondSteps } from '../../core/migrations/migration.ts';
import { historyOf, runMigrations, waitingOf } from '../../core/migrations/run.ts';
import { designTables } from '../../core/tables/design.ts';
import { keepingFound } from '../../core/tables/found.ts';
import { isSameDesign } from '../../core/tables/schema-diff.ts';
import type { Migration } from '../../core/migrations/migration.ts';
import type { Store } from '../../core/store/contract.ts';
import { openBare, openDatabase, told } from '../../project/database.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { readMigrations, secondStepText } from '../../project/migrations.ts';
import { fittedProject } from '../../project/fitted.ts';
import { runtime, storeAddress } from '../../project/project.ts';
import type { SoundProject } from '../../project/project.ts';
import { shownStore } from '../../project/shown-path.ts';
import type { Arguments, Context } from '../command.ts';
import { loadUnfitted } from '../load-project.ts';
import { loadProjectSamples, showLoaded } from '../seed.ts';
import { confirm } from '../terminal/ask.ts';
import { counted } from '../terminal/terminal.ts';
import { refuseTheirs, waitsText } from './on-database.ts';
import { standsAsFound } from './take-over.ts';

/** Runs the migrations that have not run. */
export async function run(context: Context, given: Arguments): Promise<number> {
  const { terminal } = context;
  const project = await loadUnfitted(context);
  refuseTheirs(project);
  const address = storeAddress(project);
  const migrations = readMigrations(project.folder, kindOfAddress(address));
  const tables = keepingFound(designTables(project.graph), lastSnapshot(migrations));
  const fromEmpty = given['from-empty'] === true;
  if (migrations.length === 0 && !fromEmpty) {
    terminal.value({ ran: [] });
    terminal.show('there are no migrations: until the first one is drafted, the database follows the models');
    return EXIT.done;
  }
  const inStep = migrations.length === 0 || isSameDesign(lastSnapshot(migrations), tables);
  if (!inStep && given.samples === true) {
    throw new Failure(
      EXIT.foundWrong,
      'the models have changed since the last migration, so samples may not fit',
      'vantfell migrate draft comes first',
    );
  }
  const store = await openBare(address);
  try {
    if (fromEmpty) {
      const question = `all tables of ${shownStore(store.address)} are dropped, with every record in them. Go on?`;
      if (!(await confirm(context, question, 'say --yes if that is meant'))) return EXIT.foundWrong;
      await dropAll(store, migrations, [...migrations.flatMap(({ after }) => after), ...tables]);
    } else if (project.graph.service.isTakenOver && !(await standsAsFound(context, store, migrations))) {
      return EXIT.foundWrong;
    }
    const ran = await runMigrations(store, migrations, {
      now: runtime.now,
      onStart: (name) => terminal.progress(`running ${name}`),
      onWait: (whom) => terminal.say(waitsText(whom)),
      leavesSecondSteps: !fromEmpty && given.all !== true,
    });
    terminal.progress('');
    const left = secondSteps(migrations).length === 0 ? [] : await waitingIn(store, migrations);
    if (given.samples !== true) terminal.value({ ran });
    if (ran.length > 0) ran.forEach((name) => terminal.show(`ran ${name}`));
    else if (left.length === 0 && migrations.length > 0)
      terminal.show(
        'nothing to run: the database has run ' +
          `${migrations.length === 1 ? 'the one migration' : `all ${counted(migrations.length, 'migration')}`}`,
      );
    if (left.length > 0) terminal.say(secondStepText(left.map(({ name }) => name)));
    if (!inStep)
      terminal.say('the models have changed since the last migration: vantfell migrate draft writes the next');
  } catch (error) {
    throw told(error, address);
  } finally {
    await store.close();
  }
  if (given.samples !== true && !fromEmpty) return EXIT.done;
  const opened = await openDatabase((await fittedProject(project)) as SoundProject);
  try {
    opened.done.forEach((line) => terminal.say(line));
    if (given.samples !== true) return EXIT.done;
    const loaded = await loadProjectSamples(context, project, opened.store);
    if (loaded === undefined) return EXIT.foundWrong;
    await showLoaded(context, loaded);
    return EXIT.done;
  } finally {
    await opened.store.close();
  }
}

async function waitingIn(store: Store, migrations: readonly Migration[]): Promise<Migration[]> {
  return waitingOf(migrations, await historyOf(store, migrations, runtime.now), store.address);
}
