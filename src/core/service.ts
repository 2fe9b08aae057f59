import { acceptsJson } from './http/accept.ts';
import { noCode } from './change/code.ts';
import type { Code } from './change/code.ts';
import { makeWrites } from './change/run.ts';
import type { Writes } from './change/run.ts';
import type { Log } from './change/scope.ts';
import { makeIdempotency } from './http/idempotency.ts';
import type { Endpoint } from './http/endpoints.ts';
import { COMMON_HEADERS } from './http/message.ts';
import type { Reply, Request } from './http/message.ts';
import { BODY_TYPES } from './http/body.ts';
import { makeEntityTags } from './http/entity-tag.ts';
import { makeOwnPages } from './http/own-pages.ts';
import { HttpProblem, problemTypes } from './http/problems.ts';
import { problemReply } from './http/problem-reply.ts';
import { makeResource } from './http/resource.ts';
import type { Answerer } from './http/resource.ts';
import type { Serving } from './http/serving.ts';
import { makeRoutes } from './http/routes.ts';
import type { Place } from './http/routes.ts';
import type { Moment } from './change/contract.ts';
import type { Graph } from './model/graph.ts';
import { makeCursors } from './query/cursor.ts';
import { StoreError } from './store/contract.ts';
import type { Store } from './store/contract.ts';

/** What a service needs beside its models and its store. */
export interface Surroundings extends Moment {
  /** Signs whatever clients hold; at least 32 bytes. */
  readonly key: string;
  /** The project's own code; left out: it has none. */
  readonly code?: Code;
  /** Where the project's code writes its log. */
  readonly log?: Log;
  /** Whether `afterCommit` hooks are left out, as in trials. */
  readonly quiet?: boolean;
  /** Told of every defect, with the number that the client was given. */
  report(error: unknown, request: string): void;
}

/** All of HTTP's meaning, without its sockets: a request value in, a reply value out. It never rejects. */
export interface Service {
  handle(request: Request): Promise<Reply>;
  /** The answer to a request that could not even be read, as a server meets them. */
  refuse(problem: HttpProblem, target: string): Reply;
  /** What changes records without a request: a program's own jobs. */
  readonly writes: Writes;
}

const noLog: Log = { info: () => undefined, warn: () => undefined, error: () => undefined };

/**
 * Everything that can be worked out before the first request is worked out here.
 *
 * @example
 * const service = makeService(graph, store, surroundings);
 * const reply = await service.handle({ method: 'GET', target: '/v1/huts?limit=5', headers: {} });
 */
export function makeService(graph: Graph, store: Store, surroundings: Surroundings): Service {
  const cursors = makeCursors(surroundings.key);
  const routes = makeRoutes(graph);
  const ownPages = makeOwnPages(graph, store);
  const { code = noCode, log = noLog, quiet = false } = surroundings;
  const report = (error: unknown): void => surroundings.report(error, surroundings.uuid());
  const writes = makeWrites({ graph, store, moment: surroundings, code, log, report, tell: !quiet });
  const idempotency = makeIdempotency(store, surroundings.key, () => surroundings.now());
  const serving: Serving = {
    graph,
    store,
    cursors,
    tags: makeEntityTags(surroundings.key),
    moment: surroundings,
    code,
    writes,
    answer: ({ claim }, write) => writes.run(null, (work) => idempotency.within(work, claim, write)),
  };
  const answerers = new Map<Endpoint, Answerer>();
  for (const model of graph.models) {
    const answererOf = makeResource(model, serving);
    for (const endpoint of routes.endpoints) {
      if (endpoint.model === model) answerers.set(endpoint, answererOf(endpoint));
    }
  }

  async function answer(request: Request, path: string, query: string): Promise<Reply> {
    const { method } = request;
    const found = routes.find(path);
    if (found === undefined) {
      const own = await ownPages(method, path, query);
      if (own !== undefined) return own;
      const near = routes.near(path);
      const detail = near.length > 0 ? `did you mean ${near.join(' or ')}?` : 'GET / lists the endpoints';
      throw new HttpProblem('unknown-path', detail);
    }
    const { place, key } = found;
    if (method === 'OPTIONS') return optionsReply(place);
    const endpoint = place.endpoints.get(method);
    if (endpoint === undefined) {
      const detail = `${path} takes ${place.allow}`;
      throw new HttpProblem('method-not-allowed', detail, { headers: { allow: place.allow } });
    }
    if (!acceptsJson(request.headers.accept))
      throw new HttpProblem('not-acceptable', 'Accept must allow application/json');
    const answerer = answerers.get(endpoint)!;
    if (request.headers['idempotency-key'] === undefined) return answerer({ request, path, query, key });
    if (method === 'PATCH') {
      throw new HttpProblem('malformed-request', 'Idempotency-Key goes with POST; If-Match guards a PATCH');
    }
    if (method !== 'POST') return answerer({ request, path, query, key });
    return idempotency.once(request, path, query, (claimed) => answerer({ request: claimed, path, query, key }));
  }

  function refused(error: unknown, path: string): Reply {
    const request = surroundings.uuid();
    const problem = error instanceof HttpProblem ? error : problemOf(error);
    if (problemTypes[problem.problem].status >= 500) surroundings.report(error, request);
    return problemReply(problem, path, request);
  }

  return {
    handle(request) {
      const at = request.target.indexOf('?');
      const path = at < 0 ? request.target : request.target.slice(0, at);
      const query = at < 0 ? '' : request.target.slice(at + 1);
      return answer(request, path, query).catch((error: unknown) => refused(error, path));
    },
    refuse: (problem, target) => refused(problem, target.split('?')[0] ?? '/'),
    writes,
  };
}

const LATER = { 'retry-after': '1' };

/** What a client is told of an error that was not meant for it. */
function problemOf(error: unknown): HttpProblem {
  switch (error instanceof StoreError ? error.fault.kind : undefined) {
    case 'busy':
    case 'unreachable':
      return new HttpProblem('store-unavailable', undefined, { headers: LATER });
    case 'crowded':
      return new HttpProblem('too-busy', undefined, { headers: LATER });
    case 'too-slow':
      return new HttpProblem('time-ran-out', undefined, { headers: LATER });
    case 'too-complex':
      return new HttpProblem('invalid-parameter', 'this database can not read so deep a request: include or name less');
    default:
      return new HttpProblem('inner-defect');
  }
}

function optionsReply(place: Place): Reply {
  const patch: Record<string, string> = place.endpoints.has('PATCH')
    ? { 'accept-patch': BODY_TYPES.update.join(', ') }
    : {};
  return { status: 204, headers: { ...COMMON_HEADERS, allow: place.allow, ...patch } };
}
