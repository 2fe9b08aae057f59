import type { Case } from '../core/trial/case.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { Command } from './command.ts';

export const trial: Command = {
  usage: 'trial',
  about: 'Test the API against the sample data, on a throwaway database',
  examples: [
    ['vantfell trial', 'every case that follows from the declarations'],
    ['vantfell trial --model hut --only minimum', 'those of one model, about its minimums'],
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
      }) // prettier-ignore
      .option('random', {
        type: 'number',
        requiresArg: true,
        describe: 'a number: the cases in another order, the same for the same number',
      }) // prettier-ignore
      .option('bail', { type: 'boolean', default: false, describe: 'stop at the first failure' })
      .check(({ report = [] }) => {
        const other = report.find((file) => !/\.(html|xml|json)$/.test(file));
        if (other === undefined) return true;
        throw new Failure(EXIT.wrongCommand, `--report ${other} is of no known kind`, 'end it in .html, .xml or .json');
      }),

  async run(context, { model, only, bail, random, report }) {
    const { didYouMean } = await import('../core/declaration/nearest.ts');
    const { loadedProject } = await import('./sound-project.ts');
    const { runTrial } = await import('./trial/run-trial.ts');
    const { resultText, resultValue } = await import('./trial/result-text.ts');
    const project = await loadedProject(context);
    if (typeof model === 'string' && !project.graph.byName.has(model)) {
      const remedy = didYouMean(model, project.graph.byName.keys());
      throw new Failure(EXIT.wrongCommand, `there is no model ${model}`, remedy);
    }
    const wanted = (one: Case): boolean =>
      (typeof model !== 'string' || one.model === model) && (typeof only !== 'string' || one.title.includes(only));
    const ran = await runTrial(context, project, {
      wanted,
      bail: bail === true,
      ...(random === undefined ? {} : { random: random as number }),
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
