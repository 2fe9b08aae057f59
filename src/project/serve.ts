import { availableParallelism } from 'node:os';
import type { Service } from '../core/service.ts';
import { makeService } from '../core/service.ts';
import type { Store } from '../core/store/contract.ts';
import type { Graph } from '../core/model/graph.ts';
import type { StoreOptions } from '../store/options.ts';
import { moment } from './project.ts';

/** Slow reads that are at work at once, so that quick ones keep a processor. */
const SLOW_READS = Math.max(2, Math.min(4, availableParallelism() - 1));

/** How the store of a service is opened. */
export const storeOptions = ({ service }: Graph): StoreOptions => ({
  longestRead: service.limits.read,
  slowReads: SLOW_READS,
});

/** A service over an open store, with the machine's own clock and keys. */
export const serviceOn = (
  graph: Graph,
  store: Store,
  key: string,
  report: (error: unknown, request: string) => void,
): Service => makeService(graph, store, { ...moment, key, report });
