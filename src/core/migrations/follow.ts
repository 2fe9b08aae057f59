import type { Alteration, Store } from '../store/contract.ts';
import { scriptText } from '../tables/ddl.ts';
import { questionsOf } from '../tables/match.ts';
import type { Renames } from '../tables/match.ts';
import { makeOwnTables } from './own-tables.ts';
import { isEmpty, redesign } from '../tables/redesign.ts';
import type { Fill, Redesign } from '../tables/redesign.ts';
import type { Table } from '../tables/table.ts';
import { sayingsOf } from '../tables/words.ts';
import { countDangers, fillable, isLossy, isStopped, sayingText } from './count.ts';
import { memoryOf } from './memory.ts';
import { refuseMissing } from './missing.ts';
import { OutOfStep, Undecided } from './out-of-step.ts';

/** What was answered to the questions that a change puts. */
export interface Answers {
  readonly renames: Renames;
  /** What looks like a rename and is none: `hut.altitude`. */
  readonly dropped: ReadonlySet<string>;
  /** Values may be lost. */
  readonly mayLose: boolean;
}

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
  const memory = memoryOf(store);
  return store.alter(async (alteration) => {
    await makeOwnTables(alteration, store);
    const [last] = (await memory.history(alteration)).slice(-1);
    if (last !== undefined) {
      const message = `the database ${store.address} has run migrations, up to ${last.name}, and the project has none`;
      throw new OutOfStep(message, 'bring migrations/ back, as from version control; or name another database');
    }
    const before = (await memory.picture(alteration)) ?? [];
    const decisions = { renames: answers.renames, fills: new Map<string, Fill>(), defaults };
    const plan = redesign(before, tables, decisions);
    if (isEmpty(plan)) {
      refuseMissing(await alteration.tables(), tables, store.address);
      // Names alone may differ.
      if (JSON.stringify(before) !== JSON.stringify(tables)) await memory.keepPicture(alteration, tables);
      await alteration.hold();
      return [];
    }
    refuseImpossible(plan);
    await refuseStrangers(alteration, plan, store.address);
    const sayings = await countDangers(sayingsOf(plan, decisions), { reader: alteration, ddl: store.ddl });
    const stopped = sayings.filter(isStopped);
    const questions = questionsOf(before, tables, answers.renames, answers.dropped);
    const lossy = sayings.filter(isLossy);
    if (lossy.length + stopped.length > 0 && questions.length > 0) throw new Undecided(questions, lossy);
    if (stopped.length > 0) {
      const lines = stopped.map((saying) => `  ${sayingText(saying)}`).join('\n');
      const fill = fillable(stopped);
      const given = fill === undefined ? '' : `; vantfell migrate draft --fill ${fill}=… gives them a value`;
      const remedy = `mend those rows, or give the field a default${given}`;
      throw new OutOfStep(`the database ${store.address} can not follow the models:\n${lines}`, remedy);
    }
    if (lossy.length > 0 && !answers.mayLose) throw new Undecided([], lossy);
    await alteration.script(scriptText('follow', store.ddl.redesign(plan)), indexNames(before));
    await memory.keepPicture(alteration, tables);
    await alteration.moveOn();
    await alteration.hold();
    return before.length === 0
      ? [`made ${tables.length === 1 ? '1 table' : `${tables.length} tables`}`]
      : sayings.map(sayingText);
  });
}

/** Throws where a model has another key than its records, or values are to go where nothing leads. */
export function refuseImpossible({ otherKeys, unjoined, noWay }: Redesign): void {
  for (const [from, to] of noWay) {
    throw new OutOfStep(
      `${from} can not become ${to}: no value of its type is one of the other`,
      `let it go with --drop ${from}; or give ${to} a type that takes its values`,
    );
  }
  for (const [from, to] of unjoined) {
    const message =
      `the values of ${from} can not move to ${to}: neither model ` + 'has a relation to the other that says where';
    throw new OutOfStep(message, 'move them by hand in the SQL of the migration; or let them go with --drop');
  }
  const [first] = otherKeys;
  if (first === undefined) return;
  const message = `${first} has another key than its records: nothing that refers to them would find them again`;
  throw new OutOfStep(
    message,
    'leave the key as it was; or make a model with another name, and bring over what is needed',
  );
}

/** A table that is there already and that this tool did not make is somebody else's. */
export async function refuseStrangers(alteration: Alteration, plan: Redesign, address: string): Promise<void> {
  const standing = new Set((await alteration.tables()).map((name) => name.toLowerCase()));
  for (const { from, to } of plan.renames.filter(({ table }) => table === undefined)) {
    standing.delete(from.toLowerCase());
    standing.add(to.toLowerCase());
  }
  const [stranger] = plan.created.filter(({ name }) => standing.has(name.toLowerCase()));
  if (stranger !== undefined) throw strangersTable(address, stranger.name);
}

export const strangersTable = (address: string, name: string): OutOfStep =>
  new OutOfStep(
    `the database ${address} has a table ${name} already, and this tool did not make it`,
    `give the model another one, as table: my_${name}; or name another database with store: in vantfell.yaml`,
  );

/** The names of all indexes of a design. */
export const indexNames = (tables: readonly Table[]): ReadonlySet<string> =>
  new Set(tables.flatMap(({ unique, indexes }) => [...unique, ...indexes].map(({ name }) => name)));
