import { hasMailbox } from '../../project/code.ts';
import { namesFromFile } from '../../project/env-file.ts';
import { holdMemory } from '../../server/memory.ts';
import { makeMetrics, METRICS_PATH } from '../../server/metrics.ts';
import type { Server } from '../../server/server.ts';
import type { WorkerSide } from '../../server/workers/side.ts';
import type { Context } from '../command.ts';
import { loadProject } from '../load-project.ts';
import { ownVersion } from '../own-version.ts';
import type { Asked } from './asked.ts';
import { consoleFor } from './console.ts';
import { listen, listenBeside } from './listen.ts';
import { serveLog } from './log.ts';
import { metricsAlone, withMetrics } from './metered.ts';
import { opener } from './opener.ts';
import { changing } from './running.ts';
import type { Changing, Running } from './running.ts';
import { stopped } from './stopped.ts';
import type { Following } from './watch.ts';

/** Serves a project in this process, alone or as one of several workers. */
export async function serveOne(context: Context, asked: Asked, worker?: WorkerSide): Promise<number> {
  holdMemory();
  const { host, port, faults } = asked;
  const log = serveLog(context, asked.trace);
  const version = ownVersion();
  const metrics = makeMetrics(version, worker?.number);
  const page = worker?.metricsOfAll(metrics) ?? (() => metrics.text());
  let following: Following | undefined;
  let beside: Server | undefined;
  const tablesMoved = (): void => {
    if (worker !== undefined) return worker.tablesMoved();
    if (following !== undefined) return following.tablesMoved();
    context.terminal.warn('a migration has changed the tables: until this is started again, it answers 503');
  };
  const open = opener(context, { host, faults, log, tablesMoved, metrics, version, shared: worker?.shared });
  let served: Changing | undefined;
  let begin = (): void => undefined;
  const begun = new Promise<void>((resolve) => (begin = resolve));
  try {
    if (asked.watch) {
      const { followChanges } = await import('./watch.ts');
      // From before the files are read, so that no change is lost; one that comes too early waits for the first
      // service.
      following = followChanges(context, begun, async (changed) => served!.replace(await open(changed)));
    }
    const project = await loadProject(context);
    const first = await open(project);
    const current = (): Running => served!.current();
    const news = { failure: () => following?.failure() };
    const isWanted = asked.console && worker === undefined;
    const console = consoleFor(context, { host, isWanted, first, current, log, news });
    served = changing(first, async (of) => console?.settled(of));
    begin();
    const { graph } = project;
    const { limits, proxies, metricsPort } = graph.service;
    const at = { host, port, largestBody: limits.body, kept: limits.cache / 2, proxies };
    // Those of all workers are at the primary.
    if (metricsPort !== undefined && worker === undefined) {
      beside = await listenBeside(metricsAlone(page), { ...at, port: metricsPort });
    }
    const isBeside = metricsPort !== undefined;
    const withPage = console?.around(served.service) ?? served.service;
    const listened = isBeside ? withPage : withMetrics(withPage, page);
    const server = await listen(listened, { ...at, isShared: worker !== undefined });
    worker?.onDrain(() => server.drain());
    // A program may stop the service as soon as it has read the greeting.
    const end = stopped(context, server, log, { drain: asked.drain, isWorker: worker !== undefined });
    if (worker === undefined) {
      // It answers by now: what draws the greeting is not waited for.
      const { greet } = await import('./greet.ts');
      greet(context.terminal, {
        graph,
        url: server.url,
        store: first.store.address,
        faults,
        watching: asked.watch,
        hasMailbox: hasMailbox(project),
        variables: namesFromFile(project.folder),
        metrics: `${(beside ?? server).url}${METRICS_PATH}`,
        workers: undefined,
        console: console?.address(server.url),
      });
    }
    return await end;
  } finally {
    following?.end();
    await beside?.close();
    await served?.close();
    worker?.leave();
  }
}
