import { availableParallelism } from 'node:os';
import { EXIT, Failure } from '../project/failure.ts';
import type { Command } from './command.ts';
import { readInjectedFaults } from './serve/fault-injection.ts';
import { readTime } from './serve/read-time.ts';

const DEFAULT_PORT = 8080;
const MOST_WORKERS = 512;

export const serve: Command = {
  usage: 'serve',
  about: 'Run the API',
  examples: [
    ['vantfell serve', `at http://127.0.0.1:${DEFAULT_PORT}`],
    ['vantfell serve --port 9000', 'at another port; 0 takes any that is free'],
    ['vantfell serve --watch --trace', 'while you work on it: changes at once, and the SQL of each request'],
    ['vantfell serve --workers auto --drain 5s', 'in production: a process for each core'],
    ['vantfell serve --slow 800ms --fail 5%', 'for those who build what asks it'],
  ],
  options: (yargs) =>
    yargs
      .option('port', { type: 'number', requiresArg: true, default: DEFAULT_PORT, describe: 'the port to listen on' })
      .option('host', { type: 'string', requiresArg: true, default: '127.0.0.1', describe: 'the address to listen on' })
      .option('watch', { type: 'boolean', default: false, describe: 'serve what changes in the project at once' })
      .option('trace', {
        type: 'boolean',
        default: false,
        describe: 'show the SQL of each request, with time and rows',
      })
      .option('console', {
        type: 'boolean',
        default: true,
        describe: 'a page to look at the data and to try the API',
      })
      .option('workers', {
        type: 'string',
        requiresArg: true,
        describe: 'so many processes on the port, or auto for one a core; SIGHUP makes new ones',
      })
      .option('drain', {
        type: 'string',
        requiresArg: true,
        describe: 'go on so long after a signal to stop, while it says that it is not ready, like 5s',
      })
      .option('slow', { type: 'string', requiresArg: true, describe: 'let every request wait so long, like 800ms' })
      .option('fail', { type: 'string', requiresArg: true, describe: 'let such a share of requests fail, like 5%' })
      .check(({ port, slow, fail, drain, workers, watch }) => {
        readInjectedFaults(slow, fail);
        if (drain !== undefined) readTime('--drain', drain);
        if (workers !== undefined) readWorkers(workers);
        if (workers !== undefined && watch) {
          const remedy = 'leave one of them out; SIGHUP serves what has changed';
          throw new Failure(EXIT.wrongCommand, '--watch and --workers do not go together', remedy);
        }
        if (Number.isInteger(port) && port >= 0 && port <= 65_535) return true;
        throw new Failure(EXIT.wrongCommand, '--port must be a whole number from 0 to 65535', 'name another port');
      }),

  async run(context, given) {
    const asked = {
      port: given.port as number,
      host: given.host as string,
      watch: given.watch === true,
      trace: given.trace === true,
      console: given.console === true,
      faults: readInjectedFaults(given.slow as string | undefined, given.fail as string | undefined),
      drain: given.drain === undefined ? 0 : readTime('--drain', given.drain as string),
    };
    const count = given.workers === undefined ? undefined : readWorkers(given.workers as string);
    const worker = count === undefined ? undefined : (await import('../server/workers/side.ts')).workerSide();
    if (count !== undefined && worker === undefined) {
      const { servePrimary } = await import('./serve/primary.ts');
      return servePrimary(context, asked, count);
    }
    const { serveOne } = await import('./serve/one.ts');
    return serveOne(context, asked, worker);
  },
};

/** `--workers 4`, `--workers auto`. */
function readWorkers(text: string): number {
  if (text === 'auto') return availableParallelism();
  if (/^[1-9]\d{0,3}$/.test(text) && Number(text) <= MOST_WORKERS) return Number(text);
  throw new Failure(
    EXIT.wrongCommand,
    `--workers can not be ${text}`,
    `write a count up to ${MOST_WORKERS}, or auto for one a core`,
  );
}
