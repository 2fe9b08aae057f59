import { RateLimiterClusterMaster } from 'rate-limiter-flexible';
import { hasMailbox } from '../../project/code.ts';
import { namesFromFile } from '../../project/env-file.ts';
import { Failure } from '../../project/failure.ts';
import { storeOptions } from '../../project/serve.ts';
import { METRICS_PATH } from '../../server/metrics.ts';
import { serverUrl } from '../../server/server.ts';
import type { Server } from '../../server/server.ts';
import { makeMeasuring } from '../../server/workers/measure.ts';
import type { Measuring } from '../../server/workers/measure.ts';
import { makeWorkerPool, tellWorker, WorkerFailed } from '../../server/workers/pool.ts';
import type { WorkerPool } from '../../server/workers/pool.ts';
import type { Context } from '../command.ts';
import { loadProject } from '../load-project.ts';
import type { LoadedProject } from '../load-project.ts';
import { openWithAnswers } from '../resolve-questions.ts';
import type { Terminal } from '../terminal/terminal.ts';
import type { Asked } from './asked.ts';
import { listenBeside } from './listen.ts';
import { metricsAlone } from './metered.ts';
import { keysFor } from './opener.ts';

/**
 * Keeps so many workers on one port: replaces what dies, makes a new generation at SIGHUP, and lets all finish at
 * SIGTERM. It answers no request itself.
 */
export async function servePrimary(context: Context, asked: Asked, count: number): Promise<number> {
  const { terminal } = context;
  const [project, store] = await ready(context, asked);
  // It counts for all of them.
  new RateLimiterClusterMaster();
  let toldOfTables = false;
  const pool: WorkerPool = makeWorkerPool({
    count,
    onDeath: (number, how, pause) =>
      terminal.warn(`worker ${number} was ended by ${how}: another takes its place in ${pause / 1_000} s`),
    onMessage(message, from) {
      if (message.vantfell === 'callers-changed') {
        for (const worker of pool.serving()) if (worker !== from) tellWorker(worker, message);
      } else if (message.vantfell === 'metrics') {
        void measuring.page().then((page) => tellWorker(from, { ...message, page }));
      } else if (message.vantfell === 'measured') measuring.answered(message.id, message.measured);
      else if (!toldOfTables) {
        toldOfTables = true;
        terminal.warn('a migration has changed the tables: until SIGHUP, or a new start, it answers 503');
      }
    },
  });
  const measuring: Measuring = makeMeasuring(pool);
  const { limits, proxies, metricsPort } = project.graph.service;
  let beside: Server | undefined;
  try {
    if (metricsPort !== undefined) {
      const at = { host: asked.host, port: metricsPort, largestBody: limits.body, proxies };
      beside = await listenBeside(
        metricsAlone(() => measuring.page()),
        at,
      );
    }
    const { port } = await pool.start();
    const end = untilStopped(context, pool, asked, async () => {
      await ready(context, asked);
      await pool.renew();
      toldOfTables = false;
    });
    const url = serverUrl(asked.host, port);
    const { greet } = await import('./greet.ts');
    greet(terminal, {
      graph: project.graph,
      url,
      store,
      faults: asked.faults,
      watching: false,
      hasMailbox: hasMailbox(project),
      variables: namesFromFile(project.folder),
      metrics: `${beside?.url ?? url}${METRICS_PATH}`,
      workers: count,
    });
    return await end;
  } catch (error) {
    // A worker that could not start has said why.
    if (error instanceof WorkerFailed) return error.exit;
    throw error;
  } finally {
    pool.kill();
    await beside?.close();
  }
}

/** Sees that there is something to serve, and brings the database in step, once for all workers. */
async function ready(context: Context, { host }: Asked): Promise<readonly [LoadedProject, string]> {
  const project = await loadProject(context);
  const { made } = keysFor(project, host);
  if (made) context.terminal.say('a key was made for this project: it is kept in .vantfell/key');
  const store = await openWithAnswers(context, project, storeOptions(project.graph));
  await store.close();
  return [project, store.address];
}

function untilStopped(
  { terminal }: Context,
  pool: WorkerPool,
  { drain }: Asked,
  renew: () => Promise<void>,
): Promise<number> {
  const { tint } = terminal;
  let renewing = Promise.resolve();
  let isStopping = false;
  return new Promise((resolve) => {
    const stop = (): void => {
      // The second time, nobody wants to wait.
      if (isStopping) {
        pool.kill();
        return;
      }
      isStopping = true;
      terminal.say(
        drain > 0
          ? `stopping in ${drain / 1000} s: not ready from now on`
          : 'stopping: open requests are finished first',
      );
      void pool.stop().then(resolve);
    };
    process.on('SIGTERM', stop).on('SIGINT', stop);
    process.on('SIGHUP', () => {
      renewing = renewing.then(async () => {
        if (isStopping) return;
        try {
          await renew();
          terminal.say(`${tint.green('new')} workers answer from now on`);
        } catch (error) {
          if (!isStopping) terminal.warn(notRenewed(error, tint));
        }
      });
    });
  });
}

function notRenewed(error: unknown, { red, cyan, yellow }: Terminal['tint']): string {
  const { message, remedy } =
    error instanceof Failure ? error : { message: (error as Error).message, remedy: 'mend it, and send SIGHUP again' };
  return `${red('no new workers:')} ${message}\n  ${cyan('→')} ${remedy}\n  ${yellow('the old ones go on as before')}`;
}
