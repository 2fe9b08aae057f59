import { resolve } from 'node:path';
import yargs from 'yargs';
import { didYouMean, nearest } from '../core/text/nearest.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { Arguments } from './command.ts';
import { COMMANDS, GLOBAL_OPTIONS } from './commands.ts';
import { makeTerminal } from './terminal/terminal.ts';

/** Parses the words of a command line and runs the command; gives its exit code. */
export async function run(words: readonly string[]): Promise<number> {
  let running: Promise<number> = Promise.resolve(EXIT.done);
  const cli = yargs([...words])
    // `-H 'name: value' GET /v1/huts`: an option takes one word, and may be given again.
    .parserConfiguration({ 'greedy-arrays': false })
    .scriptName('vantfell')
    .version()
    .help()
    .wrap(100)
    .demandCommand(1, 'a command is missing')
    .strict()
    .exitProcess(false)
    .fail((message, error) => {
      // The parser's own errors are named so; whatever else is thrown comes from a command.
      if (error instanceof Error && error.name !== 'YError') throw error;
      throw wrongCommand(message, words);
    });
  for (const option of GLOBAL_OPTIONS) {
    const negated = option.name.startsWith('no-');
    cli.option(option.name.replace(/^no-/, ''), {
      type: 'value' in option ? 'string' : 'boolean',
      default: 'value' in option ? '.' : negated,
      requiresArg: 'value' in option,
      group: 'Options of every command',
      describe: negated ? `${option.about.replace(/^no /, '')}; --${option.name} for none` : option.about,
    });
  }
  for (const command of COMMANDS) {
    cli.command(
      command.usage,
      command.about,
      (inner) => command.options(inner).example(command.examples.map(([line, about]) => [line, about])),
      (given) => {
        const [folder, terminal] = [resolve(String(given.C)), terminalOf(given)];
        const flags = { yes: given.yes === true, quiet: given.quiet === true, debug: given.debug === true };
        running = command.run({ folder, terminal, ...flags }, given);
      },
    );
  }
  noSpareHelp(cli as Parser);
  await cli.parseAsync();
  return running;
}

interface Parser {
  getInternalMethods?(): { getUsageInstance(): { cacheHelpMessage: () => void } };
}

/** With every command that it runs, the parser lays out the whole help text, in case that fails: we tell of it. */
function noSpareHelp(cli: Parser): void {
  const usage = cli.getInternalMethods?.().getUsageInstance();
  if (usage !== undefined) usage.cacheHelpMessage = () => undefined;
}

const terminalOf = ({ json, quiet, color }: Arguments) =>
  makeTerminal({ json: json === true, quiet: quiet === true, color: color !== false });

/** The names of a command's options, and of those that every command has. */
function optionsOf(name: string): string[] {
  const { options } = COMMANDS.find(({ usage }) => usage.split(' ')[0] === name)!;
  const own = options(yargs([])) as unknown as { getOptions(): { key: Record<string, unknown> } };
  return [...Object.keys(own.getOptions().key), ...GLOBAL_OPTIONS.map((option) => option.name)];
}

const NAMES = COMMANDS.map((command) => command.usage.split(' ')[0]!);
const OWN_HELP = 'its own --help tells what it takes';

/** The parser's complaint in the tool's own words, with the nearest name. */
function wrongCommand(message: string, words: readonly string[]): Failure {
  const wrong = (what: string, remedy: string): Failure => new Failure(EXIT.wrongCommand, what, remedy);
  const unknown = /^Unknown (?:command|argument)s?: ([^,]+)/.exec(message)?.[1];
  if (unknown !== undefined) {
    const command = words.find((word) => NAMES.includes(word));
    if (command !== undefined) {
      const isOption = words.some(
        (word) => word.replace(/^--?(no-)?/, '').split('=')[0] === unknown && word.startsWith('-'),
      );
      const guess = isOption ? nearest(unknown, optionsOf(command)) : undefined;
      const what = isOption ? `the option ${unknown.length > 1 ? '--' : '-'}${unknown}` : unknown;
      return wrong(
        `${command} does not take ${what}`,
        guess === undefined ? OWN_HELP : `did you mean ${guess.length > 1 ? '--' : '-'}${guess}?`,
      );
    }
    return wrong(`there is no command ${unknown}`, didYouMean(unknown, NAMES));
  }
  if (message.startsWith('Not enough non-option')) return wrong('this command needs another word', OWN_HELP);
  const [, name, given, choices = ''] = /Argument: (\S+), Given: (.+), Choices: (.+)/.exec(message) ?? [];
  if (name !== undefined) return wrong(`${name} can not be ${given}`, `known: ${choices.replaceAll('"', '')}`);
  return wrong(message.charAt(0).toLowerCase() + message.slice(1), 'vantfell --help lists commands and options');
}
