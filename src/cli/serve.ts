import type { Server } from '../server/server.ts';
import { isOpen } from '../core/access/open.ts';
import type { Graph } from '../core/model/graph.ts';
import { EXIT, Failure } from '../project/failure.ts';
import { shownStore } from '../project/shown-path.ts';
import type { SoundProject } from '../project/project.ts';
import type { Command, Context } from './command.ts';
import { counted } from './terminal/terminal.ts';

const DEFAULT_PORT = 8080;
const LOOPBACK = /^(127\.\d+\.\d+\.\d+|::1|localhost)$/;
/** How long open requests may take to finish after a signal to stop. */
const LONGEST_STOP_MS = 10_000;

export const serve: Command = {
  usage: 'serve',
  about: 'Run the API',
  examples: [
    ['vantfell serve', `at http://127.0.0.1:${DEFAULT_PORT}`],
    ['vantfell serve --port 9000', 'at another port; 0 takes any that is free'],
  ],
  options: (yargs) =>
    yargs
      .option('port', { type: 'number', requiresArg: true, default: DEFAULT_PORT, describe: 'the port to listen on' })
      .option('host', { type: 'string', requiresArg: true, default: '127.0.0.1', describe: 'the address to listen on' })
      .check(({ port }) => {
        if (Number.isInteger(port) && port >= 0 && port <= 65_535) return true;
        throw new Failure(EXIT.wrongCommand, '--port must be a whole number from 0 to 65535', 'name another port');
      }),

  async run(context, given) {
    const [port, host] = [given.port as number, given.host as string];
    const { loadedProject } = await import('./sound-project.ts');
    const { serviceKeys } = await import('../project/project.ts');
    const { outsideTokens } = await import('../project/outside.ts');
    const { firstSamples } = await import('../project/samples.ts');
    const { openWithAnswers } = await import('./decide.ts');
    const { serviceOn, storeOptions } = await import('../project/serve.ts');
    const project = await loadedProject(context);
    const { terminal } = context;
    const key = serviceKeys(project);
    if (key.kept && !LOOPBACK.test(host)) {
      const remedy = 'declare one in vantfell.yaml, as key: "${VANTFELL_KEY}", with 32 bytes or more';
      throw new Failure(EXIT.foundWrong, `a service for other machines needs a key of its own (host ${host})`, remedy);
    }
    const { store, done } = await openWithAnswers(context, project, storeOptions(project.graph));
    try {
      const { codeLog, makeLog } = await import('../server/log.ts');
      const log = makeLog();
      const service = serviceOn(
        project.graph,
        store,
        key.keys,
        (error, request) => log.error({ err: error, request }),
        {
          code: project.loaded,
          log: codeLog(log),
          outside: outsideTokens(project),
          samples: () => firstSamples(project),
        },
      );
      const { limits, proxies } = project.graph.service;
      const server = await listen(service, { host, port, largestBody: limits.body, proxies });
      done.forEach((line) => terminal.say(line));
      if (key.made) terminal.say('a key was made for this project: it is kept in .vantfell/key');
      await greet(context, project, server, store.address);
      await stopped(context, server);
      await service.writes.settled();
      return EXIT.done;
    } finally {
      await store.close();
    }
  },
};

/** Starts a server; a port or host that can't be had is told as what it is. */
export async function listen(...given: Parameters<typeof import('../server/server.ts').startServer>): Promise<Server> {
  const { startServer } = await import('../server/server.ts');
  const { host, port } = given[1];
  try {
    return await startServer(...given);
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException;
    if (code === 'EADDRINUSE') {
      const remedy = 'stop the program that uses it, or choose another: --port 0 takes any that is free';
      throw new Failure(EXIT.surroundings, `port ${port} at ${host} is taken`, remedy);
    }
    if (code === 'EACCES') {
      throw new Failure(EXIT.surroundings, `port ${port} is not for this user`, 'choose one above 1023 with --port');
    }
    if (code === 'EADDRNOTAVAIL' || code === 'ENOTFOUND') {
      throw new Failure(EXIT.surroundings, `this machine has no address ${host}`, 'choose another with --host');
    }
    throw new Failure(EXIT.surroundings, `can not listen at ${host}:${port}: ${message}`, 'see --host and --port');
  }
}

async function greet({ terminal }: Context, { graph }: SoundProject, server: Server, store: string): Promise<void> {
  const { allEndpoints } = await import('../core/http/endpoints.ts');
  const { table } = await import('./terminal/table.ts');
  const { name, version, prefix } = graph.service;
  const endpoints = allEndpoints(graph).length;
  terminal.value({ url: server.url, prefix, store, models: graph.models.length, endpoints });
  const { bold, cyan, yellow } = terminal.tint;
  terminal.say(`${bold(name)} ${version} at ${cyan(server.url + prefix)}`);
  terminal.say(
    table([
      ['  store', shownStore(store)],
      ['  models', `${graph.models.length}, with ${counted(endpoints, 'endpoint')}`],
      ['  document', `${server.url}/openapi.json`],
      ...accessLine(graph, yellow),
    ]),
  );
  terminal.say('Ctrl+C stops it');
}

/** How somebody signs in; or that nobody does, and what that means. */
function accessLine({ identity, service, models }: Graph, warn: (text: string) => string): string[][] {
  if (identity?.issuer !== undefined)
    return [['  callers', `${identity.model}s, with tokens of ${identity.issuer.issuer}`]];
  if (identity !== undefined) {
    const sent = [identity.login, identity.secret].flatMap((field) => field?.member ?? []).join(' and ');
    return [['  callers', `sign in with ${sent} at POST ${service.prefix}/tokens`]];
  }
  const open = models.filter(isOpen).length;
  if (open === 0) return [];
  const which = open === models.length ? 'every record' : `the records of ${counted(open, 'model')}`;
  return [['  open', warn(`anybody may read and change ${which}: this service has no identity`)]];
}

/** Resolves when a signal has come and open requests are finished. */
function stopped({ terminal }: Context, server: Server): Promise<void> {
  return new Promise((resolve, reject) => {
    const stop = (): void => {
      process.off('SIGTERM', stop).off('SIGINT', stop);
      terminal.say('stopping: open requests are finished first');
      const overdue = setTimeout(() => {
        const limit = LONGEST_STOP_MS / 1000;
        reject(new Failure(EXIT.surroundings, `requests were still open after ${limit} s`, 'they were cut off'));
      }, LONGEST_STOP_MS);
      server.close().then(resolve, reject);
      overdue.unref();
    };
    process.on('SIGTERM', stop).on('SIGINT', stop);
  });
}
