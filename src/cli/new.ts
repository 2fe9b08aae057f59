import { cpSync, existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { EXIT, Failure } from '../project/failure.ts';
import { shownPath } from '../project/shown-path.ts';
import type { Command } from './command.ts';
import { folderTitle } from './folder-title.ts';
import { place } from './place.ts';

const STARTER = fileURLToPath(new URL('../../starter', import.meta.url));
/** The name of the service in the starter, which the new project's name replaces. */
const STARTER_NAME = 'Fell Walks';

/** What a starter in which people sign in has in place of that, and beside it. */
const WITH_IDENTITY = fileURLToPath(new URL('../../starter-identity', import.meta.url));
const GRANTS = 'may: { read: anybody, create: verified, update: role:admin, delete: role:admin }';

const FILES = [
  ['vantfell.yaml', 'the service: its name, its database, who signs in'],
  ['models/walk.yaml', 'a model, with rules and a computed value'],
  ['models/note.yaml', 'a part of it'],
  ['samples/', 'records to try it with'],
  ['trials/', 'what must happen, step by step'],
  ['tsconfig.json', 'for an editor, once there is a code/ folder'],
] as const;
const MEMBERS = ['models/member.yaml', 'those who sign in'] as const;

export const newCommand: Command = {
  usage: 'new <folder>',
  about: 'Make a small project that runs, with comments that teach',
  examples: [
    ['vantfell new tea-house', 'in a new folder; its service is called Tea House'],
    ['vantfell new .', 'in this folder, which must be empty'],
    ['vantfell new tea-house --identity', 'one in which people sign up and sign in'],
  ],
  options: (yargs) =>
    yargs
      .positional('folder', { type: 'string', demandOption: true, describe: 'where to make the project' })
      .option('identity', { type: 'boolean', default: false, describe: 'with members who sign up and sign in' }),

  async run({ terminal }, given) {
    const { table } = await import('./terminal/table.ts');
    const folder = resolve(given.folder as string);
    const shown = shownPath(folder);
    const files = given.identity === true ? [...FILES.slice(0, 1), MEMBERS, ...FILES.slice(1)] : FILES;
    makeProject(folder, shown, given.identity === true);
    terminal.value({ folder, files: files.map(([file]) => file) });
    const { bold, cyan } = terminal.paint;
    terminal.show(`made a project in ${bold(shown)}\n`);
    terminal.show(table(files.map(([file, about]) => [`  ${file}`, about])));
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

function makeProject(folder: string, shown: string, hasIdentity: boolean): void {
  if (existsSync(folder) && readdirSync(folder).some((name) => name !== '.git')) {
    throw new Failure(EXIT.options, `${shown} is not empty`, 'name an empty or a new folder: vantfell new my-service');
  }
  place(shown, () => {
    cpSync(STARTER, folder, { recursive: true });
    if (hasIdentity) {
      cpSync(WITH_IDENTITY, folder, { recursive: true });
      changeText(join(folder, 'models/walk.yaml'), (text) => text.replace(/^may: .*$/m, GRANTS));
      changeText(join(folder, 'models/note.yaml'), (text) => `${text}\n${GRANTS}\n`);
    }
    // Lines end alike on every machine, so that what ran can be compared with what is there.
    writeFileSync(join(folder, '.gitattributes'), 'migrations/** text eol=lf\n');
    changeText(join(folder, 'vantfell.yaml'), (text) => text.replace(STARTER_NAME, nameFrom(folder)));
  });
}

const changeText = (file: string, change: (text: string) => string): void =>
  writeFileSync(file, change(readFileSync(file, 'utf8')));

/** What the service in a folder is called; one without letters leaves it as it was. */
function nameFrom(folder: string): string {
  const name = folderTitle(folder);
  return /\p{L}/u.test(name) ? name : STARTER_NAME;
}
