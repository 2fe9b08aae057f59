#!/usr/bin/env node
import { resolve } from 'node:path';
import yargs from 'yargs';
import { EXIT, Failure } from '../project/failure.ts';
import { check } from './check.ts';
import type { Arguments, Command } from './command.ts';
import { demo } from './demo.ts';
import { exportCommand } from './export.ts';
import { outline } from './outline.ts';
import { seed } from './seed.ts';
import { serve } from './serve.ts';
import { makeTerminal } from './terminal/terminal.ts';
import { trial } from './trial.ts';

const COMMANDS: readonly Command[] = [demo, check, outline, serve, seed, trial, exportCommand];

async function main(words: string[]): Promise<number> {
  let exit: number = EXIT.done;
  const cli = yargs(words)
    .scriptName('vantfell')
    .usage('Turns resource models into a REST API, its database, its OpenAPI document and its tests.\n\n$0 <command>')
    .option('C', { type: 'string', default: '.', describe: 'the folder of the project', global: true })
    .option('json', { type: 'boolean', default: false, describe: 'one JSON value on standard output' })
    .option('quiet', { type: 'boolean', default: false, describe: 'results and errors alone' })
    .option('color', { type: 'boolean', default: true, describe: 'colour, on a terminal; --no-color for none' })
    .option('debug', { type: 'boolean', default: false, describe: 'the stack trace of an inner defect' })
    .version()
    .help()
    .wrap(100)
    .demandCommand(1, 1, 'a command is missing', 'one command at a time')
    .recommendCommands()
    .strict()
    .exitProcess(false)
    .fail((message, error) => {
      if (error instanceof Error) throw error;
      throw new Failure(EXIT.wrongCommand, lowerFirst(message), 'vantfell --help lists commands and options');
    });
  for (const command of COMMANDS) {
    cli.command(
      command.name,
      command.about,
      (inner) => command.options(inner).example(command.examples.map(([line, about]) => [line, about])),
      async (given) => {
        exit = await command.run({ folder: resolve(String(given.C)), terminal: terminalOf(given) }, given);
      },
    );
  }
  await cli.parseAsync();
  return exit;
}

const terminalOf = ({ json, quiet, color }: Arguments) =>
  makeTerminal({ json: json === true, quiet: quiet === true, color: color !== false });

const lowerFirst = (text: string): string => text.charAt(0).toLowerCase() + text.slice(1);

/** What happened, and what to do next; a stack trace only where it is asked for. */
function tell(error: unknown, words: readonly string[]): number {
  const terminal = makeTerminal({
    json: words.includes('--json'),
    quiet: false,
    color: !words.includes('--no-color'),
  });
  const { red, cyan } = terminal.tint;
  const known = error instanceof Failure;
  const message = error instanceof Error ? error.message : String(error);
  const remedy = known ? error.remedy : 'this is a defect of vantfell: please report it, with what --debug adds';
  terminal.value({ error: { message, remedy } });
  terminal.warn(`${red('vantfell:')} ${message}\n  ${cyan('→')} ${remedy}`);
  if (words.includes('--debug') && error instanceof Error) terminal.warn(error.stack ?? '');
  return known ? error.exit : EXIT.defect;
}

// A reader that has seen enough (`vantfell outline | head`) closes the pipe: nothing is wrong with that.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit(EXIT.done);
  throw error;
});

const words = process.argv.slice(2);
try {
  process.exitCode = await main(words);
} catch (error) {
  process.exitCode = tell(error, words);
}
