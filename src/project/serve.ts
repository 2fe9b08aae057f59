import type { Service } from '../core/service.ts';
import { makeService } from '../core/service.ts';
import type { Store } from '../core/store/contract.ts';
import type { Graph } from '../core/model/graph.ts';
import { moment } from './project.ts';

/** A service over an open store, with the machine's own clock and keys. */
export const serviceOn = (
  graph: Graph,
  store: Store,
  key: string,
  report: (error: unknown, request: string) => void,
): Service => makeService(graph, store, { ...moment, key, report });
