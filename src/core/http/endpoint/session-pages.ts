import { signInRequired } from '../../access/authorization.ts';
import type { Principal } from '../../access/principal.ts';
import { COMMON_HEADERS, JSON_HEADERS } from '../../api/message.ts';
import type { Reply, Request } from '../../api/message.ts';
import { HttpProblem } from '../../api/problems.ts';
import type { RefreshClaims } from '../../identity/tokens.ts';
import { modelOf } from '../../model/graph.ts';
import type { Scalar } from '../../model/scalar.ts';
import { fromText } from '../../model/value.ts';
import { badToken } from '../../access/authorization.ts';
import { readBodyOf } from '../request/body.ts';
import { refuseQuery } from '../request/query.ts';
import { textsOf } from '../request/texts.ts';
import type { IdentityPagesOptions, IdentityRequest } from './identity-page.ts';

export function knownCaller({ caller }: Principal): Scalar {
  if (caller === null) throw signInRequired();
  return caller.key;
}

export const NO_CONTENT: Reply = { status: 204, headers: COMMON_HEADERS };
const SECRET_HEADERS = { ...JSON_HEADERS, 'cache-control': 'no-store' };
const MOST_AGENT = 200;

/** Signs a caller in who has proved who they are: with a session, where there are refresh tokens. */
export function signedIn(options: IdentityPagesOptions): (key: Scalar, request: Request) => Promise<Reply> {
  const { graph, runtime, writes, tokens, callers, sessions, credentials, authenticator } = options;
  const { lifetime, refresh } = graph.identity!;
  return async (key, request) => {
    const audience = await authenticator.audience();
    const fresh = Buffer.from(runtime.random(16)).toString('base64url');
    const now = runtime.now();
    const session = refresh === undefined ? undefined : runtime.uuid();
    const mark = await writes.run(null, async ({ transaction }) => {
      if (session !== undefined) {
        const at = now.toISOString();
        const expires_at = later(now, refresh!).toISOString();
        const agent = agentOf(request);
        await sessions.begin(transaction, key, { id: session, began_at: at, used_at: at, expires_at, agent });
      }
      return credentials.mark(transaction, key, fresh);
    });
    if (mark === fresh) callers.forget();
    const subject = String(key);
    const token = await tokens.write({ subject, mark, session }, audience, now, lifetime);
    const next =
      session === undefined
        ? undefined
        : await tokens.writeRefresh({ subject, mark, session, generation: 0 }, audience, now, refresh!);
    return tokenReply(token, lifetime, next);
  };
}

function tokenReply(access_token: string, expires_in: number, refresh_token: string | undefined): Reply {
  const answer = { access_token, token_type: 'Bearer', expires_in, refresh_token };
  return { status: 200, headers: SECRET_HEADERS, body: JSON.stringify(answer) };
}

const later = (now: Date, seconds: number): Date => new Date(now.getTime() + seconds * 1000);

function agentOf({ headers }: Request): string | null {
  const agent = headers['user-agent'];
  return typeof agent === 'string' && agent !== '' ? [...agent].slice(0, MOST_AGENT).join('') : null;
}

const REFRESH = 'refresh_token';
const OVER = 'this refresh token is not one of this service, or is over; sign in again';

/** Answers a refresh token with a new one, and a token. One that comes a second time ends its session. */
export function refresher(options: IdentityPagesOptions) {
  const { graph, runtime, writes, tokens, callers, sessions, authenticator } = options;
  const { lifetime, refresh, model } = graph.identity!;
  const { key: keyField } = modelOf(graph, model);
  const read = textsOf([], [REFRESH]);

  async function holder({ subject, mark }: RefreshClaims): Promise<void> {
    const key = fromText(keyField, subject);
    const known = 'fault' in key ? undefined : await callers.findAnew(keyField, key.value as Scalar);
    if (known?.mark !== mark) throw badToken(OVER);
  }

  return async ({ request, query }: IdentityRequest): Promise<Reply> => {
    refuseQuery(query);
    const { [REFRESH]: text } = read(readBodyOf(request, 'create'));
    const now = runtime.now();
    const audience = await authenticator.audience();
    const claims = await tokens.readRefresh(text, audience, now);
    if (claims === undefined) throw badToken(OVER);
    await holder(claims);
    const { session: id, generation } = claims;
    const expires = later(now, refresh!);
    const renewed = await writes.run(null, ({ transaction }) =>
      sessions.renew(transaction, { id, generation, now, expires }),
    );
    if (renewed === 'used') options.callers.forget();
    if (renewed !== 'renewed')
      throw badToken(
        renewed === 'gone' ? OVER : 'this refresh token was used before, so its session has ended; sign in again',
      );
    const token = await tokens.write(claims, audience, now, lifetime);
    const next = await tokens.writeRefresh({ ...claims, generation: generation + 1 }, audience, now, refresh!);
    return tokenReply(token, lifetime, next);
  };
}

/** Ends all tokens and sessions of the caller; or, by its refresh token, one session, which takes no other token. */
export function revoker(options: IdentityPagesOptions) {
  const { graph, writes, credentials, runtime, tokens, sessions, authenticator } = options;
  const readOne = textsOf([], [REFRESH]);
  const hasBody = ({ body }: Request): boolean => body !== undefined && body.length > 0;
  return async ({ principal, request, query }: IdentityRequest): Promise<Reply> => {
    refuseQuery(query);
    if (graph.identity!.refresh !== undefined && hasBody(request)) {
      const { [REFRESH]: text } = readOne(readBodyOf(request, 'create'));
      const claims = await tokens.readRefresh(text, await authenticator.audience(), runtime.now());
      // Whether it was good is told to nobody (RFC 7009, 2.2).
      if (claims !== undefined)
        await writes.run(null, ({ transaction }) => sessions.end(transaction, claims.subject, claims.session));
      options.callers.forget();
      return NO_CONTENT;
    }
    const key = knownCaller(principal);
    await writes.run(principal, async ({ transaction }) => {
      await credentials.forget(transaction, key);
      await credentials.endBefore(transaction, key, runtime.now());
    });
    options.callers.forget();
    return NO_CONTENT;
  };
}

/** Where the caller is signed in; `current` is the session of the token that asks. */
export function sessionLister({ store, sessions, runtime }: IdentityPagesOptions) {
  return async ({ principal, query }: IdentityRequest): Promise<Reply> => {
    const key = knownCaller(principal);
    refuseQuery(query);
    const all = await sessions.list(store, key, runtime.now());
    const data = all.map((session) => ({ ...session, current: session.id === principal.session }));
    return { status: 200, headers: SECRET_HEADERS, body: JSON.stringify({ data }) };
  };
}

/** Ends all sessions of the caller. */
export function sessionsEnder(options: IdentityPagesOptions) {
  return async ({ principal, query }: IdentityRequest): Promise<Reply> => {
    const key = knownCaller(principal);
    refuseQuery(query);
    await options.writes.run(principal, ({ transaction }) => options.sessions.endAll(transaction, key));
    options.callers.forget();
    return NO_CONTENT;
  };
}

/** Ends one session of the caller. */
export function sessionEnder(options: IdentityPagesOptions) {
  return async ({ principal, query, id }: IdentityRequest): Promise<Reply> => {
    const key = knownCaller(principal);
    refuseQuery(query);
    const ended = await options.writes.run(principal, ({ transaction }) => options.sessions.end(transaction, key, id));
    if (!ended) throw new HttpProblem('not-found', 'you have no session of this id; GET /me/sessions lists them');
    options.callers.forget();
    return NO_CONTENT;
  };
}
