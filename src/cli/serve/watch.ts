import { watchFiles } from '../../project/changes.ts';
import { ENV_FILE } from '../../project/env-file.ts';
import { Failure } from '../../project/failure.ts';
import type { Context } from '../command.ts';
import { loadProject } from '../load-project.ts';
import type { LoadedProject } from '../load-project.ts';

/** What a service is made of. Samples are loaded by `seed`, when that is wanted. */
const SERVED = ['vantfell.yaml', ENV_FILE, 'models', 'code', 'migrations'];

/** How long a service that can't be opened anew waits before it is tried again. */
const AGAIN_MS = 2_000;

/** What looks after the files of a project while it is served. */
export interface Following {
  /** Why what is served is not what the files say; undefined where it is. */
  failure(): string | undefined;
  /** The tables have moved on: the service is opened anew, and again until it can be. */
  tablesMoved(): void;
  end(): void;
}

/**
 * Reloads a project whenever one of its files, or a migration its tables, has changed. If that fails, it reports why,
 * and the old service stays. Nothing is served before `begun`.
 */
export function followChanges(
  context: Context,
  begun: Promise<void>,
  serve: (project: LoadedProject) => Promise<void>,
): Following {
  const { terminal } = context;
  const { tint } = terminal;
  let work = begun;
  let isOver = false;
  let lastSaid = '';
  let failure: string | undefined;
  const change = async (what: string, otherwise: string): Promise<boolean> => {
    try {
      await serve(await loadProject(context));
      failure = undefined;
      terminal.say(`${tint.green('changed')} ${what}: the new service answers from now on`);
      return true;
    } catch (error) {
      failure = error instanceof Error ? error.message : String(error);
      const { message, remedy } = error instanceof Failure ? error : { message: String(error), remedy: 'mend it' };
      const said = `${tint.red(`${what}:`)} ${message}\n  ${tint.cyan('→')} ${remedy}\n  ${tint.yellow(otherwise)}`;
      // A failure that repeats is reported once.
      if (said !== lastSaid) terminal.warn(said);
      lastSaid = said;
      return false;
    }
  };
  const tablesMoved = (): void => {
    work = work.then(async () => {
      if (isOver || (await change('the tables in the database', 'until then it answers 503'))) return;
      setTimeout(tablesMoved, AGAIN_MS).unref();
    });
  };
  const end = watchFiles(context.folder, SERVED, (file) => {
    lastSaid = '';
    // One after the other: a change may arrive while the last one is still handled.
    work = work.then(async () => void (await change(file, 'the service goes on as it was before')));
  });
  return {
    failure: () => failure,
    tablesMoved,
    end() {
      isOver = true;
      end();
    },
  };
}
