import { countDangers, isLossy, sayingText } from '../../core/migrations/count.ts';
import type { Migration } from '../../core/migrations/migration.ts';
import { historyOf, undoMigrations, undoable } from '../../core/migrations/run.ts';
import type { Store } from '../../core/store/contract.ts';
import { backwards, redesign } from '../../core/tables/redesign.ts';
import { sayingsOf } from '../../core/tables/words.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { moment } from '../../project/project.ts';
import type { Arguments, Context } from '../command.ts';
import { soundProject } from '../sound-project.ts';
import { confirm } from '../terminal/ask.ts';
import { onDatabase } from './on-database.ts';

/** Takes back the last batch of migrations, or so many of them. */
export async function undo(context: Context, given: Arguments): Promise<number> {
  const { terminal } = context;
  const last = given.all === true ? 'all' : typeof given.last === 'number' ? given.last : 'batch';
  if (typeof last === 'number' && (!Number.isInteger(last) || last < 1)) {
    throw new Failure(EXIT.wrongCommand, '--last must be a whole number above 0', 'as --last 1');
  }
  const project = await soundProject(context);
  return onDatabase(project, async (store, migrations) => {
    const chosen = undoable(migrations, await historyOf(store, migrations, moment.now), last);
    if (chosen.length === 0) {
      terminal.value({ undone: [] });
      terminal.show('nothing to undo: no migration has run');
      return EXIT.done;
    }
    const losses = await lossesOf(store, migrations, chosen);
    const question = `values are lost when ${chosen.map(({ name }) => name).join(', ')} is taken back:${losses.map((line) => `\n  ${line}`).join('')}\nGo on?`;
    if (losses.length > 0 && !(await confirm(context, question, 'say --yes to lose them'))) return EXIT.foundWrong;
    await undoMigrations(store, chosen, (name) => terminal.progress(`taking back ${name}`));
    terminal.progress('');
    terminal.value({ undone: chosen.map(({ name }) => name) });
    chosen.forEach(({ name }) => terminal.show(`took back ${name}`));
    return EXIT.done;
  });
}

/** What goes with the tables and columns that the migrations have made. */
async function lossesOf(
  store: Store,
  migrations: readonly Migration[],
  chosen: readonly Migration[],
): Promise<string[]> {
  const oldest = migrations.indexOf(chosen.at(-1)!);
  const newest = migrations.indexOf(chosen[0]!);
  // Names along the way are followed one migration at a time.
  const renames = new Map<string, string>();
  for (const migration of migrations.slice(oldest, newest + 1)) {
    for (const [from, to] of migration.renames) {
      const first = [...renames].find(([, now]) => now === from)?.[0] ?? from;
      renames.set(first, to);
    }
  }
  const decisions = backwards({ renames, fills: new Map(), defaults: new Map() }, new Map());
  const before = migrations[oldest - 1]?.after ?? [];
  const sayings = sayingsOf(redesign(migrations[newest]!.after, before, decisions), decisions);
  const counted = await countDangers(sayings, { reader: store, ddl: store.ddl });
  return counted.filter(isLossy).map(sayingText);
}
