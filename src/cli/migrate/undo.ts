import { isLossy, summaryText } from '../../core/migrations/count.ts';
import { halfDoneIn, halfDoneText, isWayBack, migrationOf } from '../../core/migrations/half-done.ts';
import { historyOf, undoable, undoMigrations } from '../../core/migrations/run.ts';
import { wayBackOf } from '../../core/migrations/way-back.ts';
import { StoreError } from '../../core/store/contract.ts';
import type { HalfDone, Store } from '../../core/store/contract.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { runtime } from '../../project/project.ts';
import type { Arguments, Context } from '../command.ts';
import { soundProject } from '../load-project.ts';
import { confirm } from '../terminal/ask.ts';
import { onDatabase, refuseTheirs, waitsText } from './on-database.ts';

/** Undoes the last batch of migrations, or a number of migrations. */
export async function undo(context: Context, given: Arguments): Promise<number> {
  const { terminal } = context;
  const last = given.all === true ? 'all' : typeof given.last === 'number' ? given.last : 'batch';
  if (typeof last === 'number' && (!Number.isInteger(last) || last < 1)) {
    throw new Failure(EXIT.wrongCommand, '--last must be a whole number above 0', 'as --last 1');
  }
  const project = await soundProject(context);
  refuseTheirs(project);
  return onDatabase(project, async (store, migrations) => {
    const half = await halfDoneIn(store);
    if (half !== undefined && (half.isBack || !isWayBack(half))) return takeBack(context, store, half);
    const history = await historyOf(store, migrations, runtime.now);
    // What goes on was agreed to when it began, and its values can be counted no more.
    const begun = half && migrations.filter(({ name }) => name === migrationOf(half));
    const chosen = begun ?? undoable(migrations, history, last);
    if (project.graph.service.isTakenOver && chosen.some(({ number }) => number === migrations[0]!.number)) {
      const message = `the tables of ${migrations[0]!.name} were there before the models, and do not go`;
      throw new Failure(EXIT.foundWrong, message, 'take fewer back, with --last');
    }
    if (chosen.length === 0) {
      terminal.value({ undone: [] });
      terminal.show('nothing to undo: no migration has run');
      return EXIT.done;
    }
    const none = { summaries: [], unrestored: [] };
    const { summaries, unrestored } = begun === undefined ? await wayBackOf(store, migrations, chosen) : none;
    const losses = summaries.filter(isLossy).map(summaryText);
    const lines = [...losses, ...unrestored].map((line) => `\n  ${line}`).join('');
    const question = `values are lost when ${chosen.map(({ name }) => name).join(', ')} is taken back:${lines}\nGo on?`;
    if (losses.length > 0) {
      if (!(await confirm(context, question, 'say --yes to lose them'))) return EXIT.foundWrong;
    } else unrestored.forEach((line) => terminal.say(line));
    const undone = await undoMigrations(store, migrations, chosen, {
      onStart: (name) => terminal.progress(`taking back ${name}`),
      onWait: (whom) => terminal.say(waitsText(whom)),
    });
    terminal.progress('');
    terminal.value({ undone });
    undone.forEach((name) => terminal.show(`took back ${name}`));
    for (const { name } of chosen) {
      if (!undone.includes(name)) terminal.say(`${name} was taken back by another program meanwhile`);
    }
    return EXIT.done;
  });
}

/** Takes back the migration that was broken off. */
async function takeBack({ terminal }: Context, store: Store, half: HalfDone): Promise<number> {
  const name = migrationOf(half);
  const onWait = (whom: string): void => terminal.say(waitsText(whom));
  await store
    .alter((alteration) => alteration.takeBack(), { onWait })
    .catch((error: unknown) => {
      if (!(error instanceof StoreError) || error.fault.kind !== 'refused') throw error;
      throw new Failure(EXIT.foundWrong, error.message, error.remedy);
    });
  terminal.value({ undone: [name] });
  terminal.show(isWayBack(half) ? `${name} stands again` : `took back ${name}, which was ${halfDoneText(half)}`);
  return EXIT.done;
}
