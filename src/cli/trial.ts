import type { Case } from '../core/trial/case.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { Command } from './command.ts';

export const trial: Command = {
  usage: 'trial',
  about: 'Test the API against the sample data, on a throwaway database',
  examples: [
    ['vantfell trial', 'every case that follows from the declarations'],
    ['vantfell trial --model hut --only minimum', 'those of one model, about its minimums'],
    ['vantfell trial --against http://127.0.0.1:8080', 'the scenarios, on a service that runs already'],
    ['vantfell trial --walk 5000 --random 7', 'random requests of random callers, each held against the oracle'],
    ['vantfell trial --report trial.html --report trial.xml', 'with a page to look at, and JUnit XML'],
  ],
  options: (yargs) =>
    yargs
      .option('model', { type: 'string', requiresArg: true, describe: 'only the cases of this model' })
      .option('only', { type: 'string', requiresArg: true, describe: 'only cases with this text in their title' })
      .option('report', {
        type: 'string',
        array: true,
        requiresArg: true,
        describe: 'a file for the result: .html, .xml (JUnit) or .json; may be given again',
      })
      .option('random', {
        type: 'number',
        requiresArg: true,
        describe: 'a number: the cases in another order, the same for the same number',
      })
      .option('walk', {
        type: 'number',
        requiresArg: true,
        describe: 'in the place of cases: so many random requests, in walks of 80, from the samples on',
      })
      .option('keep', {
        type: 'boolean',
        default: false,
        describe: 'with --walk: write a walk that fails as a scenario in trials/',
      })
      .option('against', {
        type: 'string',
        requiresArg: true,
        describe: 'the address of a running service: its scenarios alone are run',
      })
      .option('handles', {
        type: 'string',
        requiresArg: true,
        describe: 'with --against: a JSON file with the keys of samples',
      })
      .option('watch', { type: 'boolean', default: false, describe: 'again whenever a file of the project changes' })
      .option('bail', { type: 'boolean', default: false, describe: 'stop at the first failure' })
      .check(({ report = [], against, handles, walk, keep, model, only, bail }) => {
        checkWalk({ walk, keep: keep || undefined, against, model, only, bail: bail || undefined });
        if (handles !== undefined && against === undefined)
          throw new Failure(EXIT.wrongCommand, '--handles goes with --against', 'leave it out');
        if (against !== undefined && !/^https?:\/\//.test(against))
          throw new Failure(EXIT.wrongCommand, '--against must be an address', 'write it as http://127.0.0.1:8080');
        const other = report.find((file) => !/\.(html|xml|json)$/.test(file));
        if (other === undefined) return true;
        throw new Failure(EXIT.wrongCommand, `--report ${other} is of no known kind`, 'end it in .html, .xml or .json');
      }),

  async run(context, { model, only, bail, random, report, against, handles, watch, walk, keep }) {
    if (watch === true) {
      const { watchTrial } = await import('./trial/watch.ts');
      return watchTrial(context, process.argv.slice(2));
    }
    const { didYouMean } = await import('../core/text/nearest.ts');
    const { loadUnfitted } = await import('./load-project.ts');
    const { runTrial } = await import('./trial/run-trial.ts');
    const { resultText, resultValue } = await import('./trial/result-text.ts');
    const project = await loadUnfitted(context);
    if (typeof model === 'string' && !project.graph.byName.has(model)) {
      const remedy = didYouMean(model, project.graph.byName.keys());
      throw new Failure(EXIT.wrongCommand, `there is no model ${model}`, remedy);
    }
    const wanted = (one: Case): boolean =>
      (typeof model !== 'string' || one.model === model) && (typeof only !== 'string' || one.title.includes(only));
    const options = {
      wanted,
      bail: bail === true,
      keep: keep === true,
      ...(random === undefined ? {} : { random: random as number }),
      ...(walk === undefined ? {} : { walk: walk as number }),
    };
    const { runAgainst } = await import('./trial/run-against.ts');
    const ran =
      against === undefined
        ? await runTrial(context, project, options)
        : await runAgainst(context, project, {
            ...options,
            url: against as string,
            handles: handles as string | undefined,
          });
    if (ran === undefined) return EXIT.foundWrong;
    if (ran.result.outcomes.length === 0) {
      throw new Failure(EXIT.wrongCommand, 'no case was chosen', 'leave out --model or --only, or change them');
    }
    const { writeReport } = await import('./trial/write-report.ts');
    for (const file of (report as string[] | undefined) ?? []) writeReport(file, ran, context.terminal);
    context.terminal.value(resultValue(ran.result));
    context.terminal.show(resultText(ran.result, ran.url, context.terminal.paint));
    return ran.result.outcomes.some(({ failure }) => failure !== undefined) ? EXIT.foundWrong : EXIT.done;
  },
};

/** The most requests of one walk. */
const MOST_WALKED = 1_000_000;

function checkWalk({ walk, ...others }: Readonly<Record<string, unknown>>): void {
  if (walk === undefined) {
    if (others.keep !== undefined)
      throw new Failure(EXIT.wrongCommand, '--keep goes with --walk', 'leave it out, or say how many requests to send');
    return;
  }
  if (typeof walk !== 'number' || !Number.isInteger(walk) || walk < 1 || walk > MOST_WALKED)
    throw new Failure(EXIT.wrongCommand, `--walk must be a whole number from 1 to ${MOST_WALKED}`, 'write --walk 5000');
  const other = ['against', 'model', 'only', 'bail'].find((name) => others[name] !== undefined);
  if (other !== undefined)
    throw new Failure(EXIT.wrongCommand, `--walk does not go with --${other}`, `leave out one of them`);
}
