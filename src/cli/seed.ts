import type { Loaded, LoadOptions } from '../core/samples/loaded.ts';
import type { Store } from '../core/store/contract.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { SoundProject } from '../project/project.ts';
import type { Arguments, Command, Context } from './command.ts';
import type { LoadedProject } from './load-project.ts';

export const seed: Command = {
  usage: 'seed',
  about: 'Load the sample data of samples/ into the database, or make data up',
  examples: [
    ['vantfell seed', 'again and again: what is unchanged is left alone'],
    ['vantfell seed --empty-first', 'delete every record, then load'],
    ['vantfell seed --generate 10000 --model stay', 'so many plausible stays, of records that are there'],
  ],
  options: (yargs) =>
    yargs
      .option('empty-first', {
        type: 'boolean',
        default: false,
        describe: 'delete every record and the journal first, after asking',
      })
      .option('generate', { type: 'number', requiresArg: true, describe: 'make up so many records of a --model' })
      .option('model', { type: 'string', requiresArg: true, describe: 'the model to make records of' })
      .option('random', { type: 'number', requiresArg: true, describe: 'the same number makes the same records' })
      .option('handles', {
        type: 'string',
        requiresArg: true,
        describe: 'write the keys of the samples into this JSON file, for trial --against',
      }),

  async run(context, given) {
    const { openWithAnswers } = await import('./resolve-questions.ts');
    const { loadProject } = await import('./load-project.ts');
    const emptyFirst = given.emptyFirst === true;
    const project = await loadProject(context);
    if (project.graph.fitted?.isBare === true) {
      const message = "seed remembers what it has loaded in tables of the tool's own, which the database doesn't have";
      throw new Failure(EXIT.foundWrong, message, 'vantfell migrate own makes them');
    }
    const generating = generateOptions(given, project);
    const store = await openWithAnswers(context, project);
    try {
      if (generating !== undefined) {
        return await (await import('./seed/generate.ts')).generate(context, project, store, generating);
      }
      if (emptyFirst && !(await mayEmpty(context, store))) return EXIT.foundWrong;
      const loaded = await loadProjectSamples(context, project, store, { emptyFirst });
      if (loaded === undefined) return EXIT.foundWrong;
      await showLoaded(context, loaded);
      if (given.handles !== undefined) await writeHandles(context, project, store, given.handles as string);
      return EXIT.done;
    } finally {
      await store.close();
    }
  },
};

async function writeHandles({ terminal }: Context, { graph }: SoundProject, store: Store, file: string): Promise<void> {
  const { handlesIn } = await import('../project/handles.ts');
  const { writeGiven } = await import('./files.ts');
  const handles = await handlesIn(graph, store);
  writeGiven(file, `${JSON.stringify(Object.fromEntries(handles), null, 2)}\n`, 'name another with --handles');
  terminal.say(`wrote the keys of ${handles.size} samples to ${file}`);
}

async function mayEmpty(context: Context, { address }: Store): Promise<boolean> {
  const { confirm } = await import('./terminal/ask.ts');
  const { shownStore } = await import('../project/shown-path.ts');
  const question =
    `every record in ${shownStore(address)} is deleted before the ` +
    'samples are loaded, and the journal of all. Go on?';
  return confirm(context, question, 'say --yes if that is meant');
}

/** What `--generate` was given; undefined without it. */
function generateOptions(
  { generate, model, random, emptyFirst }: Arguments,
  { graph }: SoundProject,
): { model: string; count: number; random?: number } | undefined {
  const wrong = (message: string, remedy: string): Failure => new Failure(EXIT.wrongCommand, message, remedy);
  if (generate === undefined) {
    if (model === undefined && random === undefined) return undefined;
    throw wrong('--model and --random go with --generate', 'say how many, as --generate 100');
  }
  const models = [...graph.byName.keys()].join(', ');
  if (typeof model !== 'string') throw wrong('--generate needs a --model', `known: ${models}`);
  if (!graph.byName.has(model)) throw wrong(`there is no model ${model}`, `known: ${models}`);
  if (emptyFirst === true) throw wrong('--empty-first and --generate do not go together', 'load first, then generate');
  if (!Number.isInteger(generate) || (generate as number) < 1) {
    throw wrong('--generate must be a whole number above 0', 'as --generate 100');
  }
  if (random !== undefined && !Number.isSafeInteger(random)) {
    throw wrong('--random must be a whole number', 'as --random 7');
  }
  return { model, count: generate as number, random: random as number | undefined };
}

/** Loads a project's samples into a store; undefined where they have problems, which are shown. */
export async function loadProjectSamples(
  { folder, terminal }: Context,
  { graph, loaded: code }: LoadedProject,
  store: Store,
  options: Pick<LoadOptions, 'emptyFirst' | 'hashCost'> = {},
): Promise<Loaded | undefined> {
  const { readSampleFiles } = await import('../project/samples.ts');
  const { writesOn } = await import('../project/serve.ts');
  const { runtime } = await import('../project/project.ts');
  const { readSamples } = await import('../core/samples/read.ts');
  const { BadSamples, loadSamples } = await import('../core/samples/load.ts');
  const { problemsText } = await import('./terminal/problems.ts');
  const { grouped } = await import('./terminal/terminal.ts');
  const { sources, streams } = readSampleFiles(folder, graph);
  const complain = (problems: Parameters<typeof problemsText>[0]): undefined => {
    terminal.progress('');
    terminal.value({ loaded: false, problems });
    terminal.warn(`${problemsText(problems, sources, terminal.tint)}; nothing was loaded`);
  };
  const { rows, problems } = readSamples(graph, sources);
  if (problems.length > 0) return complain(problems);
  try {
    const onProgress: LoadOptions['onProgress'] = (model, count, share) =>
      terminal.progress(
        `loading ${model}: ${grouped(count)}${share === undefined ? '' : `, ${Math.floor(share * 100)}%`}`,
      );
    const loaded = await loadSamples(graph, store, rows, writesOn(graph, store, code, { ...runtime, ...options }), {
      ...options,
      streams,
      onProgress,
    });
    terminal.progress('');
    return loaded;
  } catch (error) {
    if (error instanceof BadSamples) return complain(error.problems);
    throw error;
  }
}

export async function showLoaded({ terminal }: Context, { models, gone, goneCount, untold }: Loaded): Promise<void> {
  const { table } = await import('./terminal/table.ts');
  terminal.value({ loaded: true, models, gone, goneCount });
  if (models.length === 0) return terminal.say('there are no samples: samples/ is where they go, a file a model');
  const head = ['model', 'made', 'changed', 'unchanged'];
  const lines = models.map(({ model, made, changed, unchanged }) => [model, made, changed, unchanged]);
  terminal.show(table([head, ...lines], [1, 2, 3]));
  if (untold.size > 0) {
    terminal.say(`afterCommit hooks are not run when samples are loaded: ${untoldText(untold)}`);
  }
  if (gone.length > 0) {
    const shown = gone.slice(0, 10).join(', ');
    const more = goneCount > 10 ? ` and ${goneCount - 10} more` : '';
    terminal.say(`gone from the files, and left in the database: ${shown}${more}`);
  }
}

/** `12 of stay, 3 of hut` */
export const untoldText = (untold: ReadonlyMap<string, number>): string =>
  [...untold].map(([model, count]) => `${count} of ${model}`).join(', ');
