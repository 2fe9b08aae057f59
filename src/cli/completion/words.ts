import { resolve } from 'node:path';
import type { Argv } from 'yargs';
import type { Graph } from '../../core/model/graph.ts';
import { COMMANDS, GLOBAL_OPTIONS } from '../commands.ts';

/**
 * What a word may be, where neither the command line nor the project says more: left to the shell, which knows files.
 */
const NOTHING: readonly string[] = [];

const commandNames = COMMANDS.map(({ usage }) => usage.split(' ')[0]!);
const METHODS = ['GET', 'POST', 'PUT', 'PATCH', 'DELETE'];

/** The words that the last of `words` may become. */
export async function completedWords(words: readonly string[]): Promise<string[]> {
  const typed = words.at(-1) ?? '';
  return (await candidates()).filter((word) => word.startsWith(typed)).sort();

  async function candidates(): Promise<readonly string[]> {
    const before = words.slice(0, -1);
    const command = before.find((word) => commandNames.includes(word));
    if (command === undefined) return typed.startsWith('-') ? globals : commandNames;
    const { options, choices } = takenBy(command);
    if (typed.startsWith('-')) return [...options, ...globals];
    const option = before.at(-1)!;
    const graph = (): Promise<Graph | undefined> => graphAt(before);
    if (option === '--model' || option === '--within') return [...((await graph())?.byName.keys() ?? [])];
    if (option === '--mask') return fields(await graph());
    if (option === '--as') return people(before, await graph());
    if (option.startsWith('-') && option !== command) return NOTHING;
    const place = before.slice(before.indexOf(command) + 1).filter((word) => !word.startsWith('-')).length;
    if (place === 0 && choices.length > 0) return choices;
    if (command === 'token' && place === 0) return people(before, await graph());
    if ((command === 'send' || command === 'explain') && place === 0) return METHODS;
    if ((command === 'send' || command === 'explain') && place === 1) return paths(before, await graph());
    return NOTHING;
  }
}

const fields = (graph: Graph | undefined): string[] =>
  (graph?.models ?? []).flatMap(({ name, fields: all }) =>
    all.filter(({ origin }) => origin === 'field').map(({ member }) => `${name}.${member}`),
  );

const globals = [...GLOBAL_OPTIONS.map(({ name }) => `${name.length === 1 ? '-' : '--'}${name}`), '--help'];

/** The options of a command, and the choices of its first argument, as it declares them to the parser. */
function takenBy(name: string): { readonly options: readonly string[]; readonly choices: readonly string[] } {
  const options: string[] = [];
  let choices: readonly string[] | undefined;
  const listener = {
    option: (option: string) => (options.push(`${option.length === 1 ? '-' : '--'}${option}`), listener),
    positional: (_name: string, given: { choices?: readonly string[] }) => (
      (choices ??= given.choices ?? []),
      listener
    ),
    check: () => listener,
  };
  COMMANDS.find(({ usage }) => usage.split(' ')[0] === name)!.options(listener as unknown as Argv);
  return { options, choices: choices ?? [] };
}

const folderAt = (words: readonly string[]): string => resolve(words[words.indexOf('-C') + 1 || words.length] ?? '.');

/** The project that the words so far are about; undefined where there is none, or it is unsound. */
async function graphAt(words: readonly string[]): Promise<Graph | undefined> {
  const { readProject } = await import('../../project/project.ts');
  try {
    return readProject(folderAt(words), false).graph;
  } catch {
    return undefined;
  }
}

async function paths(words: readonly string[], graph: Graph | undefined): Promise<readonly string[]> {
  if (graph === undefined) return NOTHING;
  const { allEndpoints } = await import('../../core/api/endpoints.ts');
  const method = words.find((word) => METHODS.includes(word.toUpperCase()))?.toUpperCase();
  return [
    ...new Set(
      allEndpoints(graph)
        .filter((one) => one.method === method)
        .map(({ path }) => path),
    ),
  ];
}

/** The samples of those who sign in. */
async function people(words: readonly string[], graph: Graph | undefined): Promise<readonly string[]> {
  if (graph?.identity === undefined) return NOTHING;
  const { readSampleFiles } = await import('../../project/samples.ts');
  const { readSamples } = await import('../../core/samples/read.ts');
  const { rows } = readSamples(graph, readSampleFiles(folderAt(words), graph).sources);
  return rows.flatMap(({ model, handle }) => (model.name === graph.identity!.model ? [`${model.name}/${handle}`] : []));
}
