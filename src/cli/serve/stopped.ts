import { EXIT, Failure } from '../../project/failure.ts';
import type { Server } from '../../server/server.ts';
import type { Context } from '../command.ts';
import type { ServeLog } from './log.ts';

/** How long open requests may take to finish after a signal to stop. */
const LONGEST_STOP_MS = 10_000;
const LAST_MOMENT_MS = 2_000;

/**
 * Resolves to the exit code when a signal has come and open requests are finished. An error that nothing has caught
 * ends the service in the same way, for nobody knows what it has left behind; a promise that fails while nobody waits
 * for it, as those of a project's code may, is logged and no more. A worker stops when its primary tells it to: what a
 * terminal sends to both is for the primary.
 */
export function stopped(
  { terminal }: Context,
  server: Server,
  log: ServeLog,
  { drain, isWorker }: { readonly drain: number; readonly isWorker: boolean },
): Promise<number> {
  const say = (text: string): void => (isWorker ? undefined : terminal.say(text));
  let exit: number = EXIT.done;
  let isStopping = false;
  return new Promise((resolve, reject) => {
    const stop = (): void => {
      process.off('SIGTERM', stop).off('SIGINT', stop);
      if (isStopping) return;
      isStopping = true;
      server.drain();
      if (drain > 0) say(`stopping in ${drain / 1000} s: not ready from now on`);
      setTimeout(close, drain);
    };
    const close = (): void => {
      say('stopping: open requests are finished first');
      const overdue = (): void => {
        server.cutOff();
        // Their requests have their own time limits; what ignores them has had its time.
        setTimeout(() => process.exit(EXIT.options), LAST_MOMENT_MS).unref();
        const limit = LONGEST_STOP_MS / 1000;
        reject(new Failure(EXIT.options, `requests were still open after ${limit} s`, 'they were cut off'));
      };
      setTimeout(overdue, LONGEST_STOP_MS).unref();
      server.close().then(() => resolve(exit), reject);
    };
    process.on('SIGTERM', stop).on('SIGINT', isWorker ? () => undefined : stop);
    process.on('unhandledRejection', (error) => log.defect(error, 'none: nobody waited for it'));
    process.on('uncaughtException', (error) => {
      log.defect(error, 'none: nothing caught it, and the service stops');
      exit = EXIT.defect;
      stop();
    });
  });
}
