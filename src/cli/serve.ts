import { namesFromFile } from '../project/env-file.ts';
import { EXIT, Failure } from '../project/failure.ts';
import type { Metrics } from '../server/metrics.ts';
import type { Server } from '../server/server.ts';
import type { TracedStatement } from '../store/traced.ts';
import type { Command, Context } from './command.ts';
import type { LoadedProject } from './load-project.ts';
import { faultInjection, readInjectedFaults } from './serve/fault-injection.ts';
import type { InjectedFaults } from './serve/fault-injection.ts';
import type { ServeLog } from './serve/log.ts';
import type { Changing, Running } from './serve/running.ts';
import { readTime } from './serve/read-time.ts';
import type { Following } from './serve/watch.ts';

const DEFAULT_PORT = 8080;
const LOOPBACK = /^(127\.\d+\.\d+\.\d+|::1|localhost)$/;
/** How long open requests may take to finish after a signal to stop. */
const LONGEST_STOP_MS = 10_000;
const LAST_MOMENT_MS = 2_000;

export const serve: Command = {
  usage: 'serve',
  about: 'Run the API',
  examples: [
    ['vantfell serve', `at http://127.0.0.1:${DEFAULT_PORT}`],
    ['vantfell serve --port 9000', 'at another port; 0 takes any that is free'],
    ['vantfell serve --watch --trace', 'while you work on it: changes at once, and the SQL of each request'],
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
      .option('drain', {
        type: 'string',
        requiresArg: true,
        describe: 'go on so long after a signal to stop, while it says that it is not ready, like 5s',
      })
      .option('slow', { type: 'string', requiresArg: true, describe: 'let every request wait so long, like 800ms' })
      .option('fail', { type: 'string', requiresArg: true, describe: 'let such a share of requests fail, like 5%' })
      .check(({ port, slow, fail, drain }) => {
        readInjectedFaults(slow, fail);
        if (drain !== undefined) readTime('--drain', drain);
        if (Number.isInteger(port) && port >= 0 && port <= 65_535) return true;
        throw new Failure(EXIT.wrongCommand, '--port must be a whole number from 0 to 65535', 'name another port');
      }),

  async run(context, given) {
    const [port, host] = [given.port as number, given.host as string];
    const { loadProject } = await import('./load-project.ts');
    const { greet } = await import('./serve/greet.ts');
    const { changing } = await import('./serve/running.ts');
    const faults = readInjectedFaults(given.slow as string | undefined, given.fail as string | undefined);
    const { serveLog } = await import('./serve/log.ts');
    const log = serveLog(context, given.trace === true);
    const { makeMetrics, METRICS_PATH } = await import('../server/metrics.ts');
    const { metricsAlone, withMetrics } = await import('./serve/metered.ts');
    const { ownVersion } = await import('./own-version.ts');
    const metrics = makeMetrics(ownVersion());
    let following: Following | undefined;
    let beside: Server | undefined;
    const tablesMoved = (): void => {
      if (following !== undefined) return following.tablesMoved();
      context.terminal.warn('a migration has changed the tables: until this is started again, it answers 503');
    };
    const open = await opener(context, { host, faults, log, tablesMoved, metrics });
    let served: Changing | undefined;
    let begin = (): void => undefined;
    const begun = new Promise<void>((resolve) => (begin = resolve));
    try {
      if (given.watch === true) {
        const { followChanges } = await import('./serve/watch.ts');
        // From before the files are read, so that no change is lost; one that comes too early waits for the first
        // service.
        following = followChanges(context, begun, async (changed) => served!.replace(await open(changed)));
      }
      const project = await loadProject(context);
      const first = await open(project);
      served = changing(first);
      begin();
      const { limits, proxies, metricsPort } = project.graph.service;
      const at = { host, port, largestBody: limits.body, proxies };
      if (metricsPort !== undefined) {
        beside = await listenBeside(metricsAlone(served.service, metrics), { ...at, port: metricsPort });
      }
      const server = await listen(beside === undefined ? withMetrics(served.service, metrics) : served.service, at);
      // A program may stop the service as soon as it has read the greeting.
      const drain = given.drain === undefined ? 0 : readTime('--drain', given.drain as string);
      const end = stopped(context, server, log, drain);
      const { graph } = project;
      greet(context.terminal, {
        graph,
        url: server.url,
        store: first.store.address,
        faults,
        watching: given.watch === true,
        variables: namesFromFile(project.folder),
        metrics: `${(beside ?? server).url}${METRICS_PATH}`,
      });
      return await end;
    } finally {
      following?.end();
      await beside?.close();
      await served?.close();
    }
  },
};

interface OpenerParts {
  readonly host: string;
  readonly faults: InjectedFaults;
  readonly log: ServeLog;
  readonly metrics: Metrics;
  tablesMoved(): void;
}

/** Opens a project's store and a service over it; reports its changes of the database. */
async function opener(
  context: Context,
  { host, faults, log, tablesMoved, metrics }: OpenerParts,
): Promise<(project: LoadedProject) => Promise<Running>> {
  const { serviceKeys } = await import('../project/project.ts');
  const { outsideTokens } = await import('../project/outside.ts');
  const { firstSamples } = await import('../project/samples.ts');
  const { openWithAnswers } = await import('./resolve-questions.ts');
  const { serviceOn, storeOptions } = await import('../project/serve.ts');
  const { HttpProblem } = await import('../core/api/problems.ts');
  const { StoreError } = await import('../core/store/contract.ts');
  const { terminal, quiet } = context;
  const injectFault = faultInjection(faults);
  let latest: object | undefined;
  return async (project) => {
    const key = serviceKeys(project);
    if (key.kept && !LOOPBACK.test(host)) {
      const remedy = 'declare one in vantfell.yaml, as key: "${VANTFELL_KEY}", with 32 bytes or more';
      throw new Failure(EXIT.foundWrong, `a service for other machines needs a key of its own (host ${host})`, remedy);
    }
    const own = {};
    // A replaced service is no longer used.
    const onMoved = (): void => (own === latest ? tablesMoved() : undefined);
    const store = await openWithAnswers(context, project, { ...storeOptions(project.graph), onMoved });
    latest = own;
    if (key.made) terminal.say('a key was made for this project: it is kept in .vantfell/key');
    // Requests are not reported if nobody listens, which is faster.
    const { observed } = await import('../project/observed.ts');
    const { traced } = await import('../store/traced.ts');
    const counted = (asked: TracedStatement): void => metrics.statement(asked);
    const seen = quiet ? undefined : observed(store, counted);
    const report = (error: unknown, request: string): void => {
      // An injected fault is no defect. Changed tables are reported once.
      const isMoved = error instanceof StoreError && error.fault.kind === 'moved';
      if (!isMoved && !(error instanceof HttpProblem)) log.defect(error, request);
    };
    const service = serviceOn(project.graph, seen?.store ?? traced(store, counted), key.keys, report, {
      code: project.loaded,
      log: log.code,
      outside: outsideTokens(project),
      samples: () => firstSamples(project),
      ...(injectFault === undefined ? {} : { injectFault }),
    });
    const told = seen === undefined ? service : seen.around(service, log.request);
    return { service: metrics.around(told), store };
  };
}

/** Starts a server. Throws a failure that names the port or host where it cannot listen. */
export async function listen(...given: Parameters<typeof import('../server/server.ts').startServer>): Promise<Server> {
  const { startServer } = await import('../server/server.ts');
  const { host, port } = given[1];
  try {
    return await startServer(...given);
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException;
    if (code === 'EADDRINUSE') {
      const remedy = 'stop the program that uses it, or choose another: --port 0 takes any that is free';
      throw new Failure(EXIT.options, `port ${port} at ${host} is taken`, remedy);
    }
    if (code === 'EACCES') {
      throw new Failure(EXIT.options, `port ${port} is not for this user`, 'choose one above 1023 with --port');
    }
    if (code === 'EADDRNOTAVAIL' || code === 'ENOTFOUND') {
      throw new Failure(EXIT.options, `this machine has no address ${host}`, 'choose another with --host');
    }
    throw new Failure(EXIT.options, `can not listen at ${host}:${port}: ${message}`, 'see --host and --port');
  }
}

/** The same for the metrics, whose port is declared. */
async function listenBeside(...given: Parameters<typeof listen>): Promise<Server> {
  try {
    return await listen(...given);
  } catch (error) {
    if (!(error instanceof Failure)) throw error;
    throw new Failure(error.exit, `metrics: ${error.message}`, 'name another metrics.port; 0 takes any that is free');
  }
}

/**
 * Resolves to the exit code when a signal has come and open requests are finished. An error that nothing has caught
 * ends the service in the same way, for nobody knows what it has left behind; a promise that fails while nobody waits
 * for it, as those of a project's code may, is logged and no more.
 */
function stopped({ terminal }: Context, server: Server, log: ServeLog, drain: number): Promise<number> {
  let exit: number = EXIT.done;
  let isStopping = false;
  return new Promise((resolve, reject) => {
    const stop = (): void => {
      process.off('SIGTERM', stop).off('SIGINT', stop);
      if (isStopping) return;
      isStopping = true;
      server.drain();
      if (drain > 0) terminal.say(`stopping in ${drain / 1000} s: not ready from now on`);
      setTimeout(close, drain);
    };
    const close = (): void => {
      terminal.say('stopping: open requests are finished first');
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
    process.on('SIGTERM', stop).on('SIGINT', stop);
    process.on('unhandledRejection', (error) => log.defect(error, 'none: nobody waited for it'));
    process.on('uncaughtException', (error) => {
      log.defect(error, 'none: nothing caught it, and the service stops');
      exit = EXIT.defect;
      stop();
    });
  });
}
