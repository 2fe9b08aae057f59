import type { ClientOptions } from './options.ts';
import { NoAnswer, Problem } from './problem.ts';
import { queryText } from './query.ts';
import type { Query } from './query.ts';

/** What the service has, as this file was written for it. */
export interface Table {
  /** Where one signs in; undefined where nobody does. */
  readonly tokens?: string;
  readonly me?: string;
  /** Whether only signed-in callers may send an Idempotency-Key. */
  readonly keysAreCallers: boolean;
  readonly models: Readonly<Record<string, Route>>;
}

/** Where the records of a model are. */
export interface Route {
  readonly path: string;
  readonly operations: Readonly<
    Record<string, { readonly name: string; readonly reads: boolean; readonly ofRecord: boolean }>
  >;
  /** The lists of the records within one. */
  readonly parts: Readonly<Record<string, string>>;
}

/** What the requests of a client are sent with. */
export interface Connection {
  readonly state: {
    signedIn: string | undefined;
    /** How many tokens it was given so far: two of the same second are the same text. */
    given: number;
    /** What goes on with the session that the client signed in to; good once. */
    refresh: string | undefined;
    /** A refresh that is under way: all requests wait for the same one, since a second would end the session. */
    refreshing: Promise<boolean> | undefined;
    /** How far the service's database had come at the latest write: what is read afterwards is no older. */
    written: string | undefined;
  };
  readonly options: ClientOptions;
  readonly table: Table;
  readonly base: string;
}

export interface Sent {
  readonly query?: Query | undefined;
  readonly body?: unknown;
  readonly type?: string | undefined;
  readonly headers?: Readonly<Record<string, string | undefined>> | undefined;
  readonly signal?: AbortSignal | undefined;
  /** Whether it may be sent again when no answer came: then it is done once all the same. */
  readonly again: boolean;
  /** Whether it is sent without a token: credentials stand for themselves. */
  readonly anonymous?: boolean;
}

export interface Got {
  readonly headers: Headers | undefined;
  readonly body: AnswerBody | undefined;
}

export interface AnswerBody {
  readonly data?: unknown;
  readonly etags?: readonly string[];
  readonly access_token?: unknown;
  readonly refresh_token?: unknown;
}

const RETRIES = 2;
const PATIENCE_S = 60;
const FIRST_PAUSE_MS = 200;

export async function tokenNow({ state, options }: Connection): Promise<string | undefined> {
  if (state.signedIn !== undefined) return state.signedIn;
  return typeof options.token === 'function' ? options.token() : options.token;
}

/** Sends a request, and again where that may help. Throws `Problem` or `NoAnswer`. */
export async function send(connection: Connection, method: string, path: string, sent: Sent): Promise<Got> {
  const text = queryText(sent.query);
  if (text === undefined) return { headers: undefined, body: undefined };
  const target = connection.base + path + text;
  if (sent.anonymous !== true && connection.state.signedIn === undefined) await refreshed(connection);
  const { given } = connection.state;
  const token = sent.anonymous === true ? undefined : await tokenNow(connection);
  const got = await attempts(connection, method, target, sent, token);
  if (!(got instanceof Problem)) return got;
  if (got.status === 401 && token !== undefined) {
    const { state, options } = connection;
    // Another request may have refreshed it meanwhile.
    const isRefreshed = (state.signedIn !== undefined && state.given !== given) || (await refreshed(connection));
    if (!isRefreshed && state.signedIn === token) state.signedIn = undefined;
    const isMended = isRefreshed || (await options.onUnauthorized?.(got)) === true;
    const next = isMended ? await tokenNow(connection) : undefined;
    if (next !== undefined && (isRefreshed || next !== token)) {
      const second = await attempts(connection, method, target, sent, next);
      if (!(second instanceof Problem)) return second;
      throw second;
    }
  }
  throw got;
}

/** Keeps the tokens of an answer; `onRefreshToken` is told of the next refresh token. */
export async function keepTokens({ state, options }: Connection, body: AnswerBody | undefined): Promise<void> {
  state.signedIn = String(body!.access_token);
  state.given += 1;
  if (typeof body!.refresh_token !== 'string') return;
  state.refresh = body!.refresh_token;
  await options.onRefreshToken?.(state.refresh);
}

/** Goes on with the session; false where there is none, or it has ended. */
function refreshed(connection: Connection): Promise<boolean> {
  const { state } = connection;
  state.refreshing ??= refresh(connection).finally(() => void (state.refreshing = undefined));
  return state.refreshing;
}

async function refresh(connection: Connection): Promise<boolean> {
  const { state, table, base } = connection;
  const refresh_token = state.refresh;
  if (refresh_token === undefined || table.tokens === undefined) return false;
  // It is not sent again where no answer came: it is good once.
  const sent: Sent = { body: { refresh_token }, again: false, anonymous: true };
  const got = await attempts(connection, 'POST', `${base}${table.tokens}/refresh`, sent, undefined);
  if (got instanceof Problem) {
    if (got.status !== 401) throw got;
    state.refresh = undefined;
    state.signedIn = undefined;
    return false;
  }
  await keepTokens(connection, got.body);
  return true;
}

/** Sends a request with one token until it has an answer that will not change by waiting. */
async function attempts(
  { options, state }: Connection,
  method: string,
  target: string,
  sent: Sent,
  token: string | undefined,
): Promise<Got | Problem> {
  const { retries = RETRIES, patience = PATIENCE_S, fetch: ask = (url, init) => fetch(url, init) } = options;
  const { signal } = sent;
  const init = initOf(options, method, sent, { token, written: state.written });
  const key = sent.headers?.['idempotency-key'];
  let [lost, waited] = [0, 0];
  for (;;) {
    let response: Response;
    let text: string;
    try {
      response = await ask(target, init);
      text = await response.text();
    } catch (error) {
      if (signal?.aborted === true) throw error;
      if (!sent.again || lost >= retries) throw new NoAnswer(error, key);
      lost += 1;
      await pause(FIRST_PAUSE_MS * 2 ** lost * (0.5 + Math.random()), signal);
      continue;
    }
    const { status, headers } = response;
    const written = headers.get('consistency-token');
    // Of two, the later one is the greater as a text.
    if (written !== null && written > (state.written ?? '')) state.written = written;
    const isJson = headers.get('content-type')?.includes('json') === true && text !== '';
    const body = isJson ? (JSON.parse(text) as AnswerBody) : undefined;
    // The answer to the first of them was lost: the record is gone because of it.
    if (method === 'DELETE' && status === 404 && lost > 0) return { headers, body: undefined };
    if (status < 400) return { headers, body };
    const problem = new Problem(status, { ...body }, secondsOf(headers.get('retry-after')), key);
    const { retryAfter } = problem;
    if (retryAfter === undefined || waited + retryAfter > patience || !mayPass(problem, sent.again)) return problem;
    waited += retryAfter;
    await pause(retryAfter * 1000 * (1 + Math.random() / 10), signal);
  }
}

function initOf(
  options: ClientOptions,
  method: string,
  sent: Sent,
  { token, written }: { readonly token: string | undefined; readonly written: string | undefined },
): RequestInit {
  const headers: Record<string, string> = { accept: 'application/json', ...options.headers };
  if (token !== undefined) Object.assign(headers, { authorization: `Bearer ${token}` });
  if (written !== undefined && method === 'GET') headers['consistency-token'] = written;
  if (sent.body !== undefined) headers['content-type'] = sent.type ?? 'application/json';
  for (const [name, value] of Object.entries(sent.headers ?? {})) if (value !== undefined) headers[name] = value;
  return {
    method,
    headers,
    ...(sent.body === undefined ? {} : { body: JSON.stringify(sent.body) }),
    ...(sent.signal === undefined ? {} : { signal: sent.signal }),
  };
}

/** Whether an answer may be another one later. All of these but one say that nothing was changed. */
function mayPass({ status, kind }: Problem, again: boolean): boolean {
  if (status === 429 || kind === 'still-running') return true;
  // What stands between may have answered: then nobody knows what was done.
  return status === 503 && (again || (kind !== 'outcome-unknown' && kind !== 'unknown'));
}

/** Seconds, given as such or as the time that they end. */
function secondsOf(header: string | null): number | undefined {
  if (header === null) return undefined;
  const seconds = /^\d+$/.test(header) ? Number(header) : (Date.parse(header) - Date.now()) / 1000;
  return Number.isNaN(seconds) ? undefined : Math.max(0, seconds);
}

/** Waits; a signal ends it. */
function pause(milliseconds: number, signal: AbortSignal | undefined): Promise<void> {
  return new Promise((resolve, reject) => {
    const stop = (): void => {
      clearTimeout(timer);
      reject(signal!.reason as Error);
    };
    const timer = setTimeout(() => {
      signal?.removeEventListener('abort', stop);
      resolve();
    }, milliseconds);
    if (signal?.aborted === true) stop();
    else signal?.addEventListener('abort', stop, { once: true });
  });
}
