import { openApi } from '../document/openapi.ts';
import type { Graph } from '../model/graph.ts';
import type { Statement, Store } from '../store/contract.ts';
import { allEndpoints } from './endpoints.ts';
import { COMMON_HEADERS, JSON_HEADERS } from './message.ts';
import type { Reply } from './message.ts';
import { HttpProblem, problemTypes, refuseParameters } from './problems.ts';
import type { ProblemName } from './problems.ts';
import { problemPage } from './problem-reply.ts';

type OwnPages = (method: string, path: string, query: string) => Promise<Reply | undefined>;

const ALLOW = 'GET, HEAD, OPTIONS';
const PROBE: Statement = { sql: 'SELECT 1' };

/** What a service answers about itself: its index, its document, its health and the pages of its problems. */
export function makeOwnPages(graph: Graph, store: Store): OwnPages {
  const json = (value: unknown): Reply => ({ status: 200, headers: JSON_HEADERS, body: JSON.stringify(value) });
  const healthy = json({ data: { status: 'ok' } });
  const pages = new Map<string, () => Reply | Promise<Reply>>();
  const fixed = (path: string, reply: Reply): void => void pages.set(path, () => reply);

  fixed('/', json({ data: indexOf(graph) }));
  fixed('/openapi.json', json(openApi(graph)));
  fixed('/health/live', healthy);
  pages.set('/health/ready', async () => {
    await store.first(PROBE, []);
    return healthy;
  });
  for (const name of Object.keys(problemTypes) as ProblemName[]) fixed(`/problems/${name}`, problemPage(name));

  return async (method, path, query) => {
    const page = pages.get(path);
    if (page === undefined) return undefined;
    if (method === 'OPTIONS') return { status: 204, headers: { ...COMMON_HEADERS, allow: ALLOW } };
    if (method !== 'GET' && method !== 'HEAD') {
      throw new HttpProblem('method-not-allowed', `${path} takes ${ALLOW}`, { headers: { allow: ALLOW } });
    }
    if (query !== '') {
      const parameter = query.split('=')[0]!;
      refuseParameters([{ parameter, detail: 'this page takes no parameters' }]);
    }
    return page();
  };
}

/** Name, version, and a link to everything that a client can go on to. */
function indexOf(graph: Graph): Record<string, unknown> {
  const { name, version, description } = graph.service;
  const lists = allEndpoints(graph).filter((endpoint) => endpoint.name === 'list' && endpoint.under === undefined);
  return {
    name,
    version,
    ...(description === undefined ? {} : { description }),
    links: {
      openapi: '/openapi.json',
      live: '/health/live',
      ready: '/health/ready',
      ...Object.fromEntries(lists.map((endpoint) => [endpoint.model.plural, endpoint.path])),
    },
  };
}
