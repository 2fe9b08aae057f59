import { cpSync, existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { basename, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { EXIT, Failure } from '../project/failure.ts';
import { shownPath } from '../project/shown-path.ts';
import type { Command } from './command.ts';
import { place } from './place.ts';

const STARTER = fileURLToPath(new URL('../../starter', import.meta.url));
/** The name of the service in the starter, which the new project's name replaces. */
const STARTER_NAME = 'Fell Walks';

const FILES = [
  ['vantfell.yaml', 'the service: its name, its database, who signs in'],
  ['models/walk.yaml', 'a model, with rules and a computed value'],
  ['models/note.yaml', 'a part of it'],
  ['samples/', 'records to try it with'],
  ['trials/notes.yaml', 'what must happen, step by step'],
  ['tsconfig.json', 'for an editor, once there is a code/ folder'],
] as const;

export const newCommand: Command = {
  usage: 'new <folder>',
  about: 'Make a small project that runs, with comments that teach',
  examples: [
    ['vantfell new tea-house', 'in a new folder; its service is called Tea House'],
    ['vantfell new .', 'in this folder, which must be empty'],
  ],
  options: (yargs) =>
    yargs.positional('folder', { type: 'string', demandOption: true, describe: 'where to make the project' }),

  async run({ terminal }, given) {
    const { table } = await import('./terminal/table.ts');
    const folder = resolve(given.folder as string);
    const shown = shownPath(folder);
    makeProject(folder, shown);
    terminal.value({ folder, files: FILES.map(([file]) => file) });
    const { bold, cyan } = terminal.paint;
    terminal.show(`made a project in ${bold(shown)}\n`);
    terminal.show(table(FILES.map(([file, about]) => [`  ${file}`, about])));
    const steps = [
      ...(shown === '.' ? [] : [[`cd ${shown}`, '']]),
      ['vantfell check', 'is it sound?'],
      ['vantfell seed', 'load the samples'],
      ['vantfell serve --watch', 'run it, and change its files while it runs'],
      ['vantfell trial', 'test it'],
      ['vantfell add guide --field "name: string, required"', 'a model of your own'],
    ];
    terminal.show(`\nGo on with\n${table(steps.map(([command, about]) => [`  ${cyan(command)}`, about!]))}`);
    return EXIT.done;
  },
};

function makeProject(folder: string, shown: string): void {
  if (existsSync(folder) && readdirSync(folder).some((name) => name !== '.git')) {
    throw new Failure(EXIT.options, `${shown} is not empty`, 'name an empty or a new folder: vantfell new my-service');
  }
  place(shown, () => {
    cpSync(STARTER, folder, { recursive: true });
    // Lines end alike on every machine, so that what ran can be compared with what is there.
    writeFileSync(join(folder, '.gitattributes'), 'migrations/** text eol=lf\n');
    const service = join(folder, 'vantfell.yaml');
    writeFileSync(service, readFileSync(service, 'utf8').replace(STARTER_NAME, nameFrom(folder)));
  });
}

/** A folder's name as a service is called: `tea-house` becomes `Tea House`; one without letters leaves it as it was. */
function nameFrom(folder: string): string {
  const words = basename(folder)
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '');
  const name = words.map((word) => word.replace(/^./u, (letter) => letter.toUpperCase())).join(' ');
  return /\p{L}/u.test(name) ? name : STARTER_NAME;
}
