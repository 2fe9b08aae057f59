import { summaryText } from '../core/migrations/count.ts';
import { noAnswers } from '../core/migrations/follow.ts';
import type { Answers } from '../core/migrations/follow.ts';
import { DecisionRequired } from '../core/migrations/schema-mismatch.ts';
import type { Store } from '../core/store/contract.ts';
import type { Question } from '../core/tables/match.ts';
import { openDatabase } from '../project/database.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { SoundProject } from '../project/project.ts';
import type { StoreOptions } from '../store/base/options.ts';
import type { Context } from './command.ts';
import { confirm } from './terminal/ask.ts';

/** Opens the project's database, and reports its changes; asks where a change needs a decision. */
export async function openWithAnswers(context: Context, project: SoundProject, options?: StoreOptions): Promise<Store> {
  let answers: Answers = noAnswers;
  for (;;) {
    try {
      const { store, done } = await openDatabase(project, undefined, answers, options);
      done.forEach((line) => context.terminal.say(line));
      return store;
    } catch (error) {
      if (!(error instanceof DecisionRequired)) throw error;
      if (error.questions.length > 0) {
        answers = { ...answers, ...(await resolveQuestions(context, error.questions, answers)) };
        continue;
      }
      const lines = error.summaries.map((summary) => `\n  ${summaryText(summary)}`).join('');
      const question = `the models have changed, and the database loses values by it:${lines}\nGo on?`;
      const otherwise =
        'say --yes to lose them; or take the change back; vantfell migrate draft writes it as a migration';
      if (!(await confirm(context, question, otherwise))) {
        throw new Failure(EXIT.foundWrong, 'the database was left as it is', 'take the change of the models back');
      }
      answers = { ...answers, mayLose: true };
    }
  }
}

/** Asks of everything that looks like a new name whether it is one. */
export async function resolveQuestions(
  context: Context,
  questions: readonly Question[],
  known: Pick<Answers, 'renames' | 'dropped'>,
): Promise<Pick<Answers, 'renames' | 'dropped'>> {
  const renames = new Map(known.renames);
  const dropped = new Set(known.dropped);
  for (const { kind, from, to } of questions) {
    // An answer may have settled another question.
    if (renames.has(from) || [...renames.values()].includes(to)) continue;
    const what = kind === 'move' ? 'do its values move there' : 'is it the same under a new name';
    const question = `${from} is gone and ${to} is new: ${what}?`;
    const otherwise =
      `vantfell migrate draft --rename ${from}=${to} says yes, ` + `--drop ${from} says no; --yes says yes to all`;
    if (await confirm(context, question, otherwise)) {
      renames.set(from, to);
      dropped.delete(from);
    } else dropped.add(from);
  }
  return { renames, dropped };
}
