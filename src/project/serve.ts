import { availableParallelism } from 'node:os';
import type { Code } from '../core/change/code.ts';
import type { Runtime } from '../core/change/runtime.ts';
import type { Log } from '../core/change/scope.ts';
import { makeWrites } from '../core/change/writes.ts';
import type { Writes } from '../core/change/writes.ts';
import type { Graph } from '../core/model/graph.ts';
import { makeService } from '../core/service.ts';
import type { Service, ServiceOptions } from '../core/service.ts';
import type { Store } from '../core/store/contract.ts';
import type { StoreOptions } from '../store/base/options.ts';
import { runtime } from './project.ts';

/** The most slow reads at once, so that quick ones keep a processor. */
const SLOW_READS = Math.max(2, Math.min(4, availableParallelism() - 1));
/** The same of secrets that are hashed. */
const HASHES = Math.max(1, Math.min(4, availableParallelism() - 1));

/** How the store of a service is opened. */
export const storeOptions = ({ service }: Graph): StoreOptions => ({
  longestRead: service.limits.read,
  slowReads: SLOW_READS,
  longestTransaction: service.limits.transaction,
  mostWaiting: service.limits.queue,
  cache: service.limits.cache,
});

/** A service over an open store, with the machine's own clock and keys. */
export const serviceOn = (
  graph: Graph,
  store: Store,
  [key, ...olderKeys]: readonly string[],
  report: ServiceOptions['report'],
  more: Partial<Runtime> &
    Pick<
      ServiceOptions,
      'code' | 'log' | 'quiet' | 'outside' | 'everybody' | 'samples' | 'injectFault' | 'hashesAtOnce' | 'shared'
    > = {},
): Service => makeService(graph, store, { ...runtime, hashesAtOnce: HASHES, ...more, key: key!, olderKeys, report });

const noLog: Log = { info: () => undefined, warn: () => undefined, error: () => undefined };

/** Writes that load and generate records: like a service's, but without `afterCommit` hooks. */
export const writesOn = (graph: Graph, store: Store, code: Code, now: Runtime = runtime): Writes =>
  makeWrites({ graph, store, runtime: now, code, log: noLog, report: () => undefined, tell: false });
