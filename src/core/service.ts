import type { Principal } from './access/principal.ts';
import type { Endpoint } from './api/endpoints.ts';
import { BODY_TYPES } from './api/media-types.ts';
import { COMMON_HEADERS } from './api/message.ts';
import type { Reply, Request } from './api/message.ts';
import { HttpProblem, LATER, problemTypes } from './api/problems.ts';
import { noCode } from './change/code.ts';
import type { Code } from './change/code.ts';
import type { Runtime } from './change/runtime.ts';
import type { Log } from './change/scope.ts';
import { makeWrites } from './change/writes.ts';
import type { Writes } from './change/writes.ts';
import type { Sample } from './document/documented.ts';
import { documentJson, documentYaml, openApi } from './document/openapi.ts';
import { acceptsJson } from './http/accept.ts';
import { makeAllowance } from './http/allowance.ts';
import { makeAuthenticator } from './http/authenticator.ts';
import { makeCors } from './http/cors.ts';
import type { EndpointContext } from './http/endpoint/context.ts';
import { makeOwnPages } from './http/endpoint/own-pages.ts';
import { makeRecordReader } from './http/endpoint/read-record.ts';
import { makeReplay } from './http/endpoint/replay.ts';
import { makeResource } from './http/endpoint/resource.ts';
import type { Answerer } from './http/endpoint/resource.ts';
import { makeIdentityPages, tooMany } from './http/endpoint/sign-in.ts';
import type { IdentityPage } from './http/endpoint/sign-in.ts';
import { makeIdempotency } from './http/idempotency.ts';
import { problemReply } from './http/problem-reply.ts';
import { makeEntityTags } from './http/request/entity-tag.ts';
import { makeRoutes } from './http/routes.ts';
import type { Found, Place } from './http/routes.ts';
import { makeCallers } from './identity/callers.ts';
import { makeCredentials } from './identity/credentials.ts';
import { makeHashing } from './identity/hashing.ts';
import { makeTokens } from './identity/tokens.ts';
import type { OutsideTokens } from './identity/tokens.ts';
import { modelOf } from './model/graph.ts';
import type { Graph } from './model/graph.ts';
import { makeCursors } from './query/cursor.ts';
import { StoreError } from './store/contract.ts';
import type { Requester, Store } from './store/contract.ts';

/** What a service needs beside its models and its store. */
export interface ServiceOptions extends Runtime {
  /** Signs whatever clients hold; at least 32 bytes. */
  readonly key: string;
  /** Keys that were its own before: what they signed is still known. */
  readonly olderKeys?: readonly string[];
  /** The project's own code; left out: it has none. */
  readonly code?: Code;
  /** Reads the tokens of an outside issuer, where the identity has one. */
  readonly outside?: OutsideTokens | undefined;
  /** Where the project's code writes its log. */
  readonly log?: Log;
  /** The first record of each model's samples, for the document's examples; asked for once. */
  samples?(): ReadonlyMap<string, Sample>;
  /** Whether `afterCommit` hooks are left out, as in trials. */
  readonly quiet?: boolean;
  /** Whether everybody may do everything, as in trials of rules: never where others can ask. */
  readonly everybody?: boolean;
  /** How many secrets are hashed at once; left out: one. */
  readonly hashesAtOnce?: number;
  /**
   * Asked before every request is read; where it throws a problem, that is the answer. It makes a service worse on
   * purpose.
   */
  injectFault?(): Promise<void>;
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
  /** A token for the caller with a key, good for so many seconds. */
  token(key: string, lifetime: number): Promise<string>;
}

const noLog: Log = { info: () => undefined, warn: () => undefined, error: () => undefined };

/** Bytes of a path and its query. */
const LONGEST_TARGET = 8_000;

/**
 * Everything that can be worked out before the first request is worked out here.
 *
 * @example
 * const service = makeService(graph, store, surroundings);
 * const reply = await service.handle({ method: 'GET', target: '/v1/huts?limit=5', headers: {} });
 */
export function makeService(graph: Graph, store: Store, options: ServiceOptions): Service {
  const {
    code = noCode,
    log = noLog,
    quiet = false,
    olderKeys = [],
    outside,
    everybody = false,
    injectFault,
  } = options;
  const keys = [options.key, ...olderKeys];
  const now = (): Date => options.now();
  const report = (error: unknown): void => options.report(error, options.uuid());
  const { identity } = graph;
  const callers = identity && makeCallers(graph, store, now);
  const callersChanged = (): void => callers?.forget();
  const writes = makeWrites({ graph, store, runtime: options, code, log, report, callersChanged, tell: !quiet });
  const { permissionSets } = writes;
  const idempotency = makeIdempotency(store, keys, now);
  const hashing = makeHashing(options.hashesAtOnce ?? 1, (bytes) => options.random(bytes));
  const context: EndpointContext = {
    graph,
    store,
    cursors: makeCursors(keys),
    tags: makeEntityTags(options.key),
    runtime: options,
    code,
    writes,
    hashing,
    answer: (principal, { claim }, write) => writes.run(principal, (work) => idempotency.within(work, claim, write)),
  };
  const routes = makeRoutes(graph);
  const answerers = new Map<Endpoint, Answerer>();
  for (const model of graph.models) {
    const answererOf = makeResource(model, context);
    for (const endpoint of routes.endpoints) {
      if (endpoint.model === model) answerers.set(endpoint, answererOf(endpoint));
    }
  }

  const credentials = makeCredentials(store.dialect);
  const tokens = makeTokens(keys);
  const known = {
    graph,
    store,
    runtime: options,
    permissionSets,
    writes,
    tokens,
    callers: callers!,
    credentials,
    hashing,
  };
  const authenticator = makeAuthenticator({ ...known, outside });
  const identityPages: ReadonlyMap<string, IdentityPage> =
    identity === undefined
      ? new Map()
      : makeIdentityPages({
          ...known,
          authenticator,
          readRecord: makeRecordReader(modelOf(graph, identity.model), context),
        });
  const samples = options.samples ?? (() => new Map<string, Sample>());
  // Made at the first request for it, so that the service starts sooner.
  let document: object | undefined;
  const made = (): object => (document ??= openApi(graph, samples()));
  const documents = { json: () => documentJson(made()), yaml: () => documentYaml(made()) };
  const ownPages = makeOwnPages({ graph, store, tags: context.tags, documents });
  const replay = makeReplay(context);
  const cors = makeCors(graph.service.origins);
  const { rate } = graph.service.limits;
  const allowance = rate === undefined ? undefined : makeAllowance(rate, now);
  const itself: Principal = { caller: null, permissions: permissionSets.service };

  async function answer(request: Request, path: string, query: string, note: Note): Promise<Reply> {
    const { method } = request;
    const found = routes.find(path);
    const page = found === undefined ? identityPages.get(path) : undefined;
    const allow = found?.place.allow ?? page?.allow;
    if (allow !== undefined) {
      if (method === 'OPTIONS') {
        count(addressOf(request));
        return cors.preflight(request, allow) ?? optionsReply(allow, found?.place);
      }
      const asked = authenticate(request);
      const principal = asked instanceof Promise ? await asked : asked;
      note.caller = principal.caller !== null;
      return found === undefined
        ? answerPage(page!, principal, request, path, query)
        : answerEndpoint(found, principal, request, path, query);
    }
    if (!path.startsWith('/health/')) count(addressOf(request));
    const own = await ownPages(request, path, query);
    if (own !== undefined) return own;
    const near = routes.near(path);
    const detail = near.length > 0 ? `did you mean ${near.join(' or ')}?` : 'GET / lists the endpoints';
    throw new HttpProblem('unknown-path', detail);
  }

  /** Every request counts, whatever comes of it, but for those that look after the service's health. */
  function count(by: string): void {
    const wait = allowance === undefined ? 0 : allowance.take(by);
    if (wait > 0) throw tooMany(wait);
  }

  /** Who sends a request: it counts for them, or for their address where its token is no good. */
  function authenticate(request: Request): Principal | Promise<Principal> {
    const known = everybody ? itself : authenticator.authenticate(request);
    if (!(known instanceof Promise)) return counted(known, request);
    return known.then(
      (principal) => counted(principal, request),
      (error: unknown) => {
        count(addressOf(request));
        throw error;
      },
    );
  }

  function counted(principal: Principal, request: Request): Principal {
    const by = requesterName(principal, request);
    count(by);
    return { caller: principal.caller, permissions: principal.permissions, requester: new Sender(by, request) };
  }

  function answerPage(
    page: IdentityPage,
    principal: Principal,
    request: Request,
    path: string,
    query: string,
  ): Promise<Reply> {
    const handler = page.methods.get(request.method);
    if (handler === undefined) throw wrongMethod(path, page.allow);
    refuseUnacceptable(request);
    if (request.headers['idempotency-key'] !== undefined) {
      throw new HttpProblem('malformed-request', `${path} takes no Idempotency-Key`);
    }
    return handler({ principal, request, query });
  }

  function answerEndpoint(
    { place, key }: Found,
    principal: Principal,
    request: Request,
    path: string,
    query: string,
  ): Promise<Reply> {
    const { method } = request;
    const endpoint = place.endpoints.get(method);
    if (endpoint === undefined) throw wrongMethod(path, place.allow);
    refuseUnacceptable(request);
    const answerer = answerers.get(endpoint)!;
    if (request.headers['idempotency-key'] === undefined) return answerer({ principal, request, path, query, key });
    if (method === 'PATCH') {
      throw new HttpProblem('malformed-request', 'Idempotency-Key goes with POST; If-Match guards a PATCH');
    }
    if (method !== 'POST') return answerer({ principal, request, path, query, key });
    const { caller } = principal;
    if (caller === null && identity !== undefined && !everybody) {
      throw new HttpProblem('malformed-request', 'Idempotency-Key is for those who are signed in: it belongs to one');
    }
    const by = requesterName(principal, request);
    return idempotency.once(
      request,
      { by, path, query },
      (claimed) => answerer({ principal, request: claimed, path, query, key }),
      (reply) => replay(principal, endpoint, reply),
    );
  }

  function refused(error: unknown, path: string, signal?: AbortSignal): Reply {
    const request = options.uuid();
    const problem = error instanceof HttpProblem ? error : problemOf(error);
    // What was given up because the client has gone went wrong for nobody.
    if (problemTypes[problem.problem].status >= 500 && signal?.aborted !== true) options.report(error, request);
    return problemReply(problem, path, request);
  }

  const marks = identity !== undefined || graph.service.origins.length > 0;
  /** Whom an answer is for, and which pages may read it. */
  function marked(reply: Reply, request: Request, note: Note): Reply {
    const headers: Record<string, string> = { ...reply.headers, ...cors.headersFor(request) };
    if (identity !== undefined)
      headers.vary = headers.vary === undefined ? 'Authorization' : `Authorization, ${headers.vary}`;
    if (note.caller) headers['cache-control'] ??= 'private';
    return { ...reply, headers };
  }

  return {
    handle(request) {
      const { target } = request;
      const at = target.indexOf('?');
      const path = at < 0 ? target : target.slice(0, at);
      const query = at < 0 ? '' : target.slice(at + 1);
      const note: Note = { caller: false };
      const reply =
        target.length > LONGEST_TARGET
          ? Promise.reject(tooLong)
          : injectFault === undefined
            ? answer(request, path, query, note)
            : injectFault().then(() => answer(request, path, query, note));
      const whole = reply.catch((error: unknown) => refused(error, path.slice(0, LONGEST_TARGET), request.signal));
      return marks ? whole.then((one) => marked(one, request, note)) : whole;
    },
    refuse: (problem, target) => refused(problem, target.split('?')[0] ?? '/'),
    writes,
    async token(key, lifetime) {
      const fresh = Buffer.from(options.random(16)).toString('base64url');
      const mark = await writes.run(null, ({ transaction }) => credentials.mark(transaction, key, fresh));
      callers?.forget();
      return tokens.write({ subject: key, mark }, await authenticator.audience(), now(), lifetime);
    },
  };
}

/** What is found out about a request on the way. */
interface Note {
  caller: boolean;
}

const tooLong = new HttpProblem('url-too-long', `a path and its query may have ${LONGEST_TARGET} bytes at most`);

/**
 * Whoever sends a request. A class, because there is one for each request: whether its client has gone is asked by
 * few.
 */
class Sender implements Requester {
  readonly by: string;
  private readonly request: Request;

  constructor(by: string, request: Request) {
    this.by = by;
    this.request = request;
  }

  get signal(): AbortSignal | undefined {
    return this.request.signal;
  }
}

const addressOf = ({ client = '' }: Request): string => `at ${client}`;

const requesterName = ({ caller }: Principal, request: Request): string =>
  caller === null ? addressOf(request) : `by ${String(caller.key)}`;

const wrongMethod = (path: string, allow: string): HttpProblem =>
  new HttpProblem('method-not-allowed', `${path} takes ${allow}`, { headers: { allow } });

function refuseUnacceptable({ headers }: Request): void {
  if (!acceptsJson(headers.accept)) throw new HttpProblem('not-acceptable', 'Accept must allow application/json');
}

/** What a client is told of an error that was not meant for it. */
function problemOf(error: unknown): HttpProblem {
  switch (error instanceof StoreError ? error.fault.kind : undefined) {
    case 'busy':
    case 'unreachable':
      return new HttpProblem('store-unavailable', undefined, { headers: LATER });
    case 'moved':
      return new HttpProblem(
        'store-unavailable',
        'a migration has changed the tables: this service has to start again',
        { headers: LATER },
      );
    case 'uncertain': {
      const detail =
        'the connection was lost at the very end: the write may have been kept; read ' +
        'before you repeat it, or repeat it with its Idempotency-Key';
      return new HttpProblem('store-unavailable', detail, { headers: LATER });
    }
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

function optionsReply(allow: string, place: Place | undefined): Reply {
  const patch: Record<string, string> = place?.endpoints.has('PATCH')
    ? { 'accept-patch': BODY_TYPES.update.join(', ') }
    : {};
  return { status: 204, headers: { ...COMMON_HEADERS, allow, ...patch } };
}
