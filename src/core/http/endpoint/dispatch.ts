import type { Principal } from '../../access/principal.ts';
import type { Endpoint } from '../../api/endpoints.ts';
import { BODY_TYPES } from '../../api/media-types.ts';
import { COMMON_HEADERS } from '../../api/message.ts';
import type { Reply, Request } from '../../api/message.ts';
import { HttpProblem } from '../../api/problems.ts';
import type { Identity } from '../../model/identity.ts';
import { acceptsJson } from '../accept.ts';
import type { Allowance } from '../allowance.ts';
import type { Authenticator } from '../authenticator.ts';
import type { Cors } from '../cors.ts';
import type { Idempotency } from '../idempotency.ts';
import { addressOf, CONSISTENCY, requesterName, Sender } from '../requester.ts';
import type { Note } from '../requester.ts';
import type { Found, Place, Routes } from '../routes.ts';
import type { OwnPages } from './own-pages.ts';
import type { Replay } from './replay.ts';
import type { Answerer } from './resource.ts';
import { tooMany } from './sign-in.ts';
import type { FoundPage, IdentityPages } from './identity-page.ts';

/** What requests are passed on to. */
export interface DispatchParts {
  readonly routes: Routes;
  readonly identityPages: IdentityPages;
  readonly cors: Cors;
  readonly ownPages: OwnPages;
  readonly allowance: Allowance | undefined;
  readonly everybody: boolean;
  readonly itself: Principal;
  readonly authenticator: Authenticator;
  readonly answererOf: (endpoint: Endpoint) => Answerer;
  readonly identity: Identity | undefined;
  readonly idempotency: Idempotency;
  readonly replay: Replay;
}

/**
 * The answer to a preflight. It succeeds wherever the origin may ask, also where nothing is at the path, and counts
 * for no limit: a page can only read why its request fails where the preflight has not failed.
 */
export function preflight({ routes, identityPages, cors }: DispatchParts, request: Request, path: string) {
  const allow = routes.find(path)?.place.allow ?? identityPages.find(path)?.page.allow ?? 'GET, HEAD, OPTIONS';
  return cors.preflight(request, allow);
}

export async function answer(
  parts: DispatchParts,
  request: Request,
  path: string,
  query: string,
  note: Note,
): Promise<Reply> {
  const { routes, identityPages, ownPages } = parts;
  const { method } = request;
  const found = routes.find(path);
  const identityPage = found === undefined ? identityPages.find(path) : undefined;
  const page = identityPage?.page;
  const allow = found?.place.allow ?? page?.allow;
  if (allow !== undefined) {
    if (method === 'OPTIONS') {
      await count(parts, addressOf(request));
      return optionsReply(allow, found?.place);
    }
    const asked =
      page?.isOpen === true
        ? counted(parts, parts.authenticator.stranger, request, note)
        : authenticate(parts, request, note);
    const principal = asked instanceof Promise ? await asked : asked;
    note.sender = principal;
    return found === undefined
      ? answerPage(identityPage!, principal, request, path, query)
      : answerEndpoint(parts, found, principal, request, path, query);
  }
  if (!path.startsWith('/health/')) await count(parts, addressOf(request));
  const own = await ownPages.answer(request, path, query);
  if (own !== undefined) return own;
  const near = routes.near(path);
  const detail = near.length > 0 ? `did you mean ${near.join(' or ')}?` : 'GET / lists the endpoints';
  throw new HttpProblem('unknown-path', detail);
}

/** Every request counts, whatever its answer, except health checks. */
function count({ allowance }: DispatchParts, by: string): Promise<void> | undefined {
  const wait = allowance === undefined ? 0 : allowance.take(by);
  if (wait instanceof Promise) return wait.then(refuseEarly);
  refuseEarly(wait);
  return undefined;
}

function refuseEarly(wait: number): void {
  if (wait > 0) throw tooMany(wait);
}

/** The sender of a request, which counts for the caller, or for the address if the token is invalid. */
function authenticate(parts: DispatchParts, request: Request, note: Note): Principal | Promise<Principal> {
  const { everybody, itself, authenticator } = parts;
  const known = everybody ? itself : authenticator.authenticate(request);
  if (!(known instanceof Promise)) return counted(parts, known, request, note);
  return known.then(
    (principal) => counted(parts, principal, request, note),
    async (error: unknown) => {
      await count(parts, addressOf(request));
      throw error;
    },
  );
}

function counted(
  parts: DispatchParts,
  principal: Principal,
  request: Request,
  note: Note,
): Principal | Promise<Principal> {
  const by = requesterName(principal, request);
  const { caller, permissions, session, mark } = principal;
  const sender = { caller, permissions, session, mark, requester: new Sender(by, request, note), request };
  return count(parts, by)?.then(() => sender) ?? sender;
}

function answerPage(
  { page, id }: FoundPage,
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
  return handler({ principal, request, query, id });
}

function answerEndpoint(
  { answererOf, identity, everybody, idempotency, replay }: DispatchParts,
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
  const answerer = answererOf(endpoint);
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

/** Adds the headers for caches and for pages of other origins. */
export function marked(
  { cors, identity }: DispatchParts,
  reply: Reply,
  request: Pick<Request, 'headers'>,
  note: Note,
): Reply {
  const headers: Record<string, string> = { ...reply.headers, ...cors.headersFor(request) };
  if (reply.headers.vary !== undefined) addTo(headers, reply.headers.vary);
  if (identity !== undefined) addTo(headers, 'Authorization');
  if ((note.sender?.caller ?? null) !== null) headers['cache-control'] ??= 'private';
  if (note.kept !== undefined) headers[CONSISTENCY] = note.kept;
  return { ...reply, headers };
}

function addTo(headers: Record<string, string>, name: string): void {
  const { vary } = headers;
  if (vary !== name) headers.vary = vary === undefined ? name : `${name}, ${vary}`;
}

const wrongMethod = (path: string, allow: string): HttpProblem =>
  new HttpProblem('method-not-allowed', `${path} takes ${allow}`, { headers: { allow } });

function refuseUnacceptable({ headers }: Request): void {
  if (!acceptsJson(headers.accept)) throw new HttpProblem('not-acceptable', 'Accept must allow application/json');
}

function optionsReply(allow: string, place: Place | undefined): Reply {
  const patch: Record<string, string> = place?.endpoints.has('PATCH')
    ? { 'accept-patch': BODY_TYPES.update.join(', ') }
    : {};
  return { status: 204, headers: { ...COMMON_HEADERS, allow, ...patch } };
}
