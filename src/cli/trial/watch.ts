import { spawn } from 'node:child_process';
import { watchFiles } from '../../project/changes.ts';
import { EXIT } from '../../project/failure.ts';
import type { Context } from '../command.ts';

/** What a trial is made of; everything else in a project's folder may change while it runs. */
const WATCHED = ['vantfell.yaml', 'models', 'code', 'samples', 'trials'];

/** Runs the same command again whenever a file of the project has changed, each time in a process of its own. */
export async function watchTrial({ folder, terminal }: Context, words: readonly string[]): Promise<number> {
  const again = words.filter((word) => word !== '--watch');
  for (;;) {
    const changed = nextChange(folder);
    const child = spawn(process.execPath, [process.argv[1]!, ...again], { stdio: 'inherit' });
    const ended = await new Promise<NodeJS.Signals | null>((resolve) =>
      child.on('exit', (_code, signal) => resolve(signal)),
    );
    if (ended === 'SIGINT') return EXIT.done;
    terminal.say('waiting for a change; Ctrl+C ends it');
    const file = await changed;
    terminal.say(`${file} has changed`);
  }
}

/** The name of the next file that changes. */
function nextChange(folder: string): Promise<string> {
  return new Promise((resolve) => {
    const end = watchFiles(folder, WATCHED, (file) => {
      end();
      resolve(file);
    });
  });
}
