import { watchFiles } from '../../project/changes.ts';
import { Failure } from '../../project/failure.ts';
import type { Context } from '../command.ts';
import { loadedProject } from '../sound-project.ts';
import type { LoadedProject } from '../sound-project.ts';

/** What a service is made of. Samples are loaded by `seed`, when that is wanted. */
const SERVED = ['vantfell.yaml', 'models', 'code', 'migrations'];

/**
 * Serves a project anew whenever one of its files has changed. Where that can't be, it says why, and the service goes
 * on as it was. Nothing is served before `begun`. What it returns ends it.
 */
export function followChanges(
  context: Context,
  begun: Promise<void>,
  serve: (project: LoadedProject) => Promise<void>,
): () => void {
  const { terminal } = context;
  const { tint } = terminal;
  let work = begun;
  const change = async (file: string): Promise<void> => {
    try {
      await serve(await loadedProject(context));
      terminal.say(`${tint.green('changed')} ${file}: the new service answers from now on`);
    } catch (error) {
      const { message, remedy } = error instanceof Failure ? error : { message: String(error), remedy: 'mend it' };
      terminal.warn(`${tint.red(`${file}:`)} ${message}\n  ${tint.cyan('→')} ${remedy}`);
      terminal.warn(`  ${tint.yellow('the service goes on as it was before')}`);
    }
  };
  return watchFiles(context.folder, SERVED, (file) => {
    // One after the other: a change may come while the one before is at work.
    work = work.then(() => change(file));
  });
}
