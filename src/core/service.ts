import type { Endpoint } from './api/endpoints.ts';
import type { Reply, Request, Trace } from './api/message.ts';
import { HttpProblem } from './api/problems.ts';
import { noCode } from './change/code.ts';
import type { Code } from './change/code.ts';
import type { Runtime } from './change/runtime.ts';
import type { Log, ServiceLog } from './change/scope.ts';
import { makeWrites } from './change/writes.ts';
import type { Writes } from './change/writes.ts';
import type { Sample } from './document/documented.ts';
import { openApiSteps, shortJson, yamlPieces } from './document/openapi.ts';
import { makeAllowance } from './http/allowance.ts';
import { makeAuthenticator } from './http/authenticator.ts';
import type { Authenticator } from './http/authenticator.ts';
import { isPreflight, makeCors } from './http/cors.ts';
import type { EndpointContext } from './http/endpoint/context.ts';
import { answer, marked, preflight } from './http/endpoint/dispatch.ts';
import type { DispatchParts } from './http/endpoint/dispatch.ts';
import { makeLastPages } from './http/endpoint/last-pages.ts';
import { makeOwnPages } from './http/endpoint/own-pages.ts';
import type { OwnPagesOptions } from './http/endpoint/own-pages.ts';
import { makeRecordReader } from './http/endpoint/read-record.ts';
import { makeReplay } from './http/endpoint/replay.ts';
import { makeResource } from './http/endpoint/resource.ts';
import type { Answerer } from './http/endpoint/resource.ts';
import { makeIdentityPages, noIdentityPages } from './http/endpoint/identity-pages.ts';
import { failureReply } from './http/failure-reply.ts';
import type { Failures } from './http/failure-reply.ts';
import { makeIdempotency, noIdempotency } from './http/idempotency.ts';
import type { Idempotency } from './http/idempotency.ts';
import { makeEntityTags } from './http/request/entity-tag.ts';
import type { Note } from './http/requester.ts';
import { makeRoutes } from './http/routes.ts';
import type { Shared } from './http/shared.ts';
import { makeAccountCodes } from './identity/account-codes.ts';
import { makeCallers } from './identity/callers.ts';
import type { Callers } from './identity/callers.ts';
import { makeCodes } from './identity/codes.ts';
import { makeCredentials } from './identity/credentials.ts';
import { makeHashing } from './identity/hashing.ts';
import { makeSessions } from './identity/sessions.ts';
import type { Sessions } from './identity/sessions.ts';
import { makeTokens } from './identity/tokens.ts';
import type { OutsideTokens } from './identity/tokens.ts';
import { modelOf } from './model/graph.ts';
import type { Graph } from './model/graph.ts';
import type { Model } from './model/model.ts';
import { makeCursors } from './query/cursor.ts';
import type { Store } from './store/contract.ts';

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
  readonly log?: ServiceLog;
  /** The first record of each model's samples, for the document's examples; asked for once. */
  samples?(): ReadonlyMap<string, Sample>;
  /** Whether `afterCommit` hooks are left out, as in trials. */
  readonly quiet?: boolean;
  /** Whether everybody may do everything, as in trials of rules: never where others can ask. */
  readonly everybody?: boolean;
  /** What it has in common with its other instances; left out: it counts for itself. */
  readonly shared?: Shared | undefined;
  /** How many secrets are hashed at once; left out: one. */
  readonly hashesAtOnce?: number;
  /**
   * Asked before every request is read; where it throws a problem, that is the answer. It makes a service worse on
   * purpose.
   */
  injectFault?(): Promise<void>;
  /** Told of every defect, with the number that the client was given. */
  report(error: unknown, request: string, trace?: Trace): void;
}

/** All of HTTP's meaning, without its sockets: a request value in, a reply value out. It never rejects. */
export interface Service {
  handle(request: Request): Promise<Reply>;
  /** The answer to a request that could not even be read, as a server meets them. */
  refuse(problem: HttpProblem, request: Pick<Request, 'target' | 'headers'>): Reply;
  /** The path of what is at a target, as it is declared: `/v1/huts/{id}`. Empty where nothing is. */
  routeOf(target: string): string;
  /** What changes records without a request: a program's own jobs. */
  readonly writes: Writes;
  /** Resolves when all that goes on after answers is done: `afterCommit` hooks, and messages. */
  settled(): Promise<void>;
  /** A token for the caller with a key, good for so many seconds. */
  token(key: string, lifetime: number): Promise<string>;
  /** The roles of whoever sends such a header `Authorization`; undefined where that is nobody. */
  rolesOf(authorization: string): Promise<readonly string[] | undefined>;
}

const noLog: Log = { info: () => undefined, warn: () => undefined, error: () => undefined };

/** Bytes of a path and its query. */
const LONGEST_TARGET = 8_000;

/**
 * Everything that can be worked out before the first request is worked out here.
 *
 * @example
 * const service = makeService(graph, store, options);
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
  const allowance = options.shared?.allowance ?? ((_what: string, perMinute: number) => makeAllowance(perMinute, now));
  const sessions = makeSessions(store, now);
  const callers = identity && sharedCallers(makeCallers(graph, store, now), sessions, options.shared);
  const accountCodes = makeAccountCodes(graph, store, {
    now,
    random: (bytes) => options.random(bytes),
    deliver: code.send,
    report,
  });
  const writes = makeWrites({
    ...{ graph, store, runtime: options, code, log, report, tell: !quiet },
    callersChanged: () => callers?.forget(),
    addressesChanged: accountCodes?.addressesChanged,
  });
  const { permissionSets } = writes;
  const idempotency = graph.fitted?.isBare === true ? noIdempotency : makeIdempotency(store, keys, now);
  const hashing = makeHashing(options.hashesAtOnce ?? 1, (bytes) => options.random(bytes), options.hashCost);
  const context = endpointContext(graph, store, options, { keys, code, writes, hashing, idempotency });
  const credentials = makeCredentials(store.dialect, identity?.codes !== undefined);
  const tokens = makeTokens(keys);
  const base = { graph, store, runtime: options, permissionSets, writes };
  const known = { ...base, tokens, callers: callers!, sessions, credentials, hashing, allowance };
  const authenticator = makeAuthenticator({ ...known, outside });
  const readRecord = identity && makeRecordReader(modelOf(graph, identity.model), context);
  const identityPages =
    readRecord === undefined
      ? noIdentityPages
      : makeIdentityPages({ ...known, codes: makeCodes(store.dialect), accountCodes, authenticator, readRecord });
  const { rate } = graph.service.limits;
  const parts: DispatchParts = {
    ...endpointsOf(graph, context),
    identityPages,
    ownPages: makeOwnPages({ graph, store, tags: context.tags, documents: documentsOf(graph, options) }),
    cors: makeCors(graph.service.cors),
    allowance: rate === undefined ? undefined : allowance('rate', rate),
    everybody,
    itself: { caller: null, permissions: permissionSets.service },
    authenticator,
    identity,
    idempotency,
    replay: makeReplay(context),
  };
  const failures: Failures = {
    uuid: () => options.uuid(),
    report: (error, id, trace) => options.report(error, id, trace),
  };
  const marksAll = identity !== undefined || graph.service.cors.origins.length > 0 || store.hasCopies === true;
  return {
    handle: requestHandler(parts, failures, marksAll, injectFault),
    refuse: (problem, request) =>
      marked(parts, failureReply(failures, problem, request.target.split('?')[0] ?? '/'), request, {}),
    routeOf: routeFinder(parts),
    writes,
    settled: async () => {
      await writes.settled();
      await accountCodes?.settled();
    },
    rolesOf: rolesFinder(authenticator),
    async token(key, lifetime) {
      const fresh = Buffer.from(options.random(16)).toString('base64url');
      const mark = await writes.run(null, ({ transaction }) => credentials.mark(transaction, key, fresh));
      callers?.forget();
      return tokens.write({ subject: key, mark }, await authenticator.audience(), now(), lifetime);
    },
  };
}

function rolesFinder(authenticator: Authenticator): Service['rolesOf'] {
  return async (authorization) => {
    try {
      const { caller } = await authenticator.authenticate({ method: 'GET', target: '/', headers: { authorization } });
      return caller?.roles;
    } catch (error) {
      if (error instanceof HttpProblem) return undefined;
      throw error;
    }
  };
}

function endpointContext(
  graph: Graph,
  store: Store,
  options: ServiceOptions,
  parts: Pick<EndpointContext, 'code' | 'writes' | 'hashing'> & {
    readonly keys: readonly string[];
    readonly idempotency: Idempotency;
  },
): EndpointContext {
  const { keys, idempotency, ...rest } = parts;
  return {
    ...rest,
    graph,
    store,
    cursors: makeCursors(keys),
    tags: makeEntityTags(options.key),
    // A store that keeps whole answers needs none.
    lastPages: makeLastPages(store.answers === undefined ? graph.service.limits.cache : 0),
    runtime: options,
    answer: (principal, { claim }, write, settings) =>
      rest.writes.run(principal, (work) => idempotency.within(work, claim, write), settings),
  };
}

/** What is known of callers, and of their sessions, is forgotten in all instances. */
function sharedCallers(callers: Callers, sessions: Sessions, shared: Shared | undefined): Callers {
  const forget = (): void => {
    callers.forget();
    sessions.forget();
  };
  shared?.onCallersChanged(forget);
  return {
    ...callers,
    forget() {
      forget();
      shared?.callersChanged();
    },
  };
}

/** The routes of all models, and what answers at each, made at its first request: the service starts sooner. */
function endpointsOf(graph: Graph, context: EndpointContext): Pick<DispatchParts, 'routes' | 'answererOf'> {
  const routes = makeRoutes(graph);
  const answerers = new Map<Endpoint, Answerer>();
  const resources = new Map<Model, (endpoint: Endpoint) => Answerer>();
  const make = (endpoint: Endpoint): Answerer => {
    const { model } = endpoint;
    let resource = resources.get(model);
    if (resource === undefined) resources.set(model, (resource = makeResource(model, context)));
    return resource(endpoint);
  };
  return {
    routes,
    answererOf(endpoint) {
      let answerer = answerers.get(endpoint);
      if (answerer === undefined) answerers.set(endpoint, (answerer = make(endpoint)));
      return answerer;
    },
  };
}

function routeFinder({ routes, identityPages, ownPages }: DispatchParts): Service['routeOf'] {
  return (target) => {
    const path = target.split('?', 1)[0]!;
    const found = routes.find(path);
    if (found !== undefined) return found.place.path;
    return identityPages.find(path)?.path ?? (ownPages.has(path) ? path : '');
  };
}

/**
 * The OpenAPI document's texts. It is made at the first request for one, so that the service starts sooner; that of a
 * hundred models takes half a second, in which others are answered, too.
 */
function documentsOf(graph: Graph, { samples, rest }: ServiceOptions): OwnPagesOptions['documents'] {
  let document: Promise<object> | undefined;
  const make = async (): Promise<object> => {
    const steps = openApiSteps(graph, samples?.() ?? new Map<string, Sample>());
    for (;;) {
      const step = steps.next();
      if (step.done === true) return step.value;
      await rest?.();
    }
  };
  const made = (): Promise<object> => (document ??= make());
  return {
    json: async () => shortJson(await made()),
    async yaml() {
      let text = '';
      for (const piece of yamlPieces(await made())) {
        text += piece;
        await rest?.();
      }
      return text;
    },
  };
}

function requestHandler(
  parts: DispatchParts,
  failures: Failures,
  marksAll: boolean,
  injectFault: (() => Promise<void>) | undefined,
): Service['handle'] {
  return (request) => {
    const { target } = request;
    const at = target.indexOf('?');
    const path = at < 0 ? target : target.slice(0, at);
    const query = at < 0 ? '' : target.slice(at + 1);
    const note: Note = {};
    const asked = isPreflight(request) ? preflight(parts, request, path) : undefined;
    if (asked !== undefined) return Promise.resolve(marked(parts, asked, request, note));
    const reply =
      target.length > LONGEST_TARGET
        ? Promise.reject(tooLong)
        : injectFault === undefined
          ? answer(parts, request, path, query, note)
          : injectFault().then(() => answer(parts, request, path, query, note));
    const whole = reply.catch(async (error: unknown) => {
      const explained = await parts.authenticator.explain(note.sender, error);
      return failureReply(failures, explained, path.slice(0, LONGEST_TARGET), request);
    });
    return marksAll ? whole.then((one) => marked(parts, one, request, note)) : whole;
  };
}

const tooLong = new HttpProblem('url-too-long', `a path and its query may have ${LONGEST_TARGET} bytes at most`);
