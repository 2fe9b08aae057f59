#!/usr/bin/env node
import * as modules from 'node:module';
import { EXIT, Failure } from '../project/failure.ts';
import { placeText } from './code-place.ts';
import { overview } from './help.ts';
import { makeTerminal } from './terminal/terminal.ts';

const words = process.argv.slice(2);

// Node keeps what it has compiled for the next start, from version 22 on.
(modules as { enableCompileCache?(): unknown }).enableCompileCache?.();

// A reader that has seen enough (`vantfell outline | head`) closes the pipe: nothing is wrong with that.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit(EXIT.done);
  throw error;
});

try {
  process.exitCode = await main();
} catch (error) {
  process.exitCode = tell(error);
}

async function main(): Promise<number> {
  if (words.length === 0) throw new Failure(EXIT.wrongCommand, 'a command is missing', 'vantfell --help lists them');
  if (words.length === 1 && words[0] === '--help') {
    process.stdout.write(`${overview()}\n`);
    return EXIT.done;
  }
  if (words[0] === '--complete') {
    const { completedWords } = await import('./completion/words.ts');
    for (const word of await completedWords(words.slice(1))) process.stdout.write(`${word}\n`);
    return EXIT.done;
  }
  const { run } = await import('./run.ts');
  return run(words);
}

/** What happened, and what to do next; with a stack trace on request only. */
function tell(error: unknown): number {
  const color = !words.includes('--no-color');
  const terminal = makeTerminal({ json: words.includes('--json'), quiet: false, color });
  const { red, cyan } = terminal.tint;
  const { message, remedy, exit } = explained(error);
  // Whatever was drawn while it worked.
  if (process.stderr.isTTY) process.stderr.write('\r\u001b[K');
  terminal.value({ error: { message, remedy } });
  terminal.warn(`${red('vantfell:')} ${message}\n  ${cyan('→')} ${remedy}`);
  if (words.includes('--debug') && error instanceof Error) terminal.warn(error.stack ?? '');
  return exit;
}

function explained(error: unknown): { message: string; remedy: string; exit: number } {
  if (error instanceof Failure) return error;
  const message = error instanceof Error ? error.message : String(error);
  // Told by its name: what throws it is loaded by few commands.
  if (!(error instanceof Error && error.name === 'CodeError')) {
    const remedy = 'this is a defect of vantfell: please report it, with what --debug adds';
    return { message, remedy, exit: EXIT.defect };
  }
  const remedy = "this is an error of the project's own code: mend it there";
  return { message: message + placeText(error), remedy, exit: EXIT.foundWrong };
}
