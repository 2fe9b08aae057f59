import type { Loaded } from '../core/samples/load.ts';
import { EXIT } from '../project/failure.ts';
import type { SoundProject } from '../project/project.ts';
import type { Command, Context } from './command.ts';

export const seed: Command = {
  usage: 'seed',
  about: 'Load the sample data of samples/ into the database',
  examples: [['vantfell seed', 'again and again: what is unchanged is left alone']],
  options: (yargs) => yargs,

  async run(context) {
    const { soundProject } = await import('./sound-project.ts');
    const { openWithAnswers } = await import('./decide.ts');
    const project = await soundProject(context);
    const { store, done } = await openWithAnswers(context, project);
    try {
      done.forEach((line) => context.terminal.say(line));
      const loaded = await loadProjectSamples(context, project, store);
      if (loaded === undefined) return EXIT.foundWrong;
      await showLoaded(context, loaded);
      return EXIT.done;
    } finally {
      await store.close();
    }
  },
};

/** Loads a project's samples into a store; undefined where they have problems, which are shown. */
export async function loadProjectSamples(
  { folder, terminal }: Context,
  { graph }: SoundProject,
  store: Parameters<typeof import('../core/samples/load.ts').loadSamples>[1],
): Promise<Loaded | undefined> {
  const { readSampleSources } = await import('../project/read.ts');
  const { moment } = await import('../project/project.ts');
  const { readSamples } = await import('../core/samples/read.ts');
  const { BadSamples, loadSamples } = await import('../core/samples/load.ts');
  const { problemsText } = await import('./terminal/problems.ts');
  const sources = readSampleSources(folder);
  const complain = (problems: Parameters<typeof problemsText>[0]): undefined => {
    terminal.value({ loaded: false, problems });
    terminal.warn(`${problemsText(problems, sources, terminal.tint)}; nothing was loaded`);
  };
  const { rows, problems } = readSamples(graph, sources);
  if (problems.length > 0) return complain(problems);
  try {
    return await loadSamples(graph, store, rows, moment);
  } catch (error) {
    if (error instanceof BadSamples) return complain(error.problems);
    throw error;
  }
}

export async function showLoaded({ terminal }: Context, { models, gone }: Loaded): Promise<void> {
  const { table } = await import('./terminal/table.ts');
  terminal.value({ loaded: true, models, gone });
  if (models.length === 0) return terminal.say('there are no samples: samples/ is where they go, a file a model');
  const head = ['model', 'made', 'changed', 'unchanged'];
  const lines = models.map(({ model, made, changed, unchanged }) => [model, made, changed, unchanged]);
  terminal.show(table([head, ...lines], [1, 2, 3]));
  if (gone.length > 0) terminal.say(`no longer in the files, and left in the database: ${gone.join(', ')}`);
}
