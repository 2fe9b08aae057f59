/** How the service is reached. */
export interface ClientOptions {
  /** `https://huts.example`, without the prefix of its paths. */
  readonly url: string;
  /** A token, or what gives one before each request. After `session.signIn` the token that it brought is used. */
  readonly token?: string | (() => string | undefined | Promise<string | undefined>);
  /** Another `fetch`; left out, that of the platform. */
  readonly fetch?: (url: string, init: RequestInit) => Promise<Response>;
  /** How often a request is sent again that got no answer, 429 or 503; 2 if left out. */
  readonly retries?: number;
  /** Headers of every request. */
  readonly headers?: Readonly<Record<string, string>>;
}

export interface RequestOptions {
  /** Ends the request; its promise is rejected with the signal's reason. */
  readonly signal?: AbortSignal;
}

export interface WriteOptions extends RequestOptions {
  /** A record as it was read or written, or its ETag: where it has changed since, a `Problem` of status 412. */
  readonly ifMatch?: object | string;
}

export interface MakeOptions extends RequestOptions {
  /** Sent again under the same key, it is done once. One is made up where requests are sent again. */
  readonly idempotencyKey?: string;
}

/** What is wrong with one place of a request. */
export interface Fault {
  readonly pointer?: string;
  readonly parameter?: string;
  readonly rule?: string;
  readonly detail: string;
  readonly available?: string;
}

interface Told {
  readonly type?: string;
  readonly title?: string;
  readonly detail?: string;
  readonly errors?: readonly Fault[];
  readonly request?: string;
}

/** An answer of the service that is no success (RFC 9457). */
export class Problem extends Error {
  readonly status: number;
  /** `taken`, of the type `/problems/taken`. */
  readonly kind: string;
  readonly detail: string | undefined;
  readonly errors: readonly Fault[];
  /** The number under which the log of the service knows the request. */
  readonly request: string | undefined;
  /** Seconds after which it may go well. */
  readonly retryAfter: number | undefined;

  constructor(status: number, body: Readonly<Record<string, unknown>>, retryAfter: number | undefined) {
    const { type, title = `status ${status}`, detail, errors = [], request } = body as Told;
    const said = detail ?? errors[0]?.detail;
    super(said === undefined ? title : `${title}: ${said}`);
    this.name = 'Problem';
    this.status = status;
    this.kind = type?.replace(/^.*\//, '') ?? 'unknown';
    this.detail = detail;
    this.errors = errors;
    this.request = request;
    this.retryAfter = retryAfter;
  }
}

/** One page of a list. */
export interface Page<Item> {
  readonly data: readonly Item[];
  readonly limit: number;
  /** The number of all records, if it was requested. */
  readonly total?: number;
  /** The next page, or null on the last one. */
  next(options?: RequestOptions): Promise<Page<Item> | null>;
  /** The page before, or null on the first one. */
  prev(options?: RequestOptions): Promise<Page<Item> | null>;
}

/** Some of the records of a relation, and whether there are more. */
export interface Some<Item> {
  readonly data: readonly Item[];
  readonly more: boolean;
}

/** One step of a JSON Patch (RFC 6902). */
export type PatchStep =
  | { readonly op: 'add' | 'replace' | 'test'; readonly path: string; readonly value: unknown }
  | { readonly op: 'remove'; readonly path: string }
  | { readonly op: 'move' | 'copy'; readonly path: string; readonly from: string };

const tags = new WeakMap<object, string>();

/** The ETag of a record that was read or written, by the object that came of it. */
export const etagOf = (record: object): string | undefined => tags.get(record);

/** What the service has, as this file was written for it. */
export interface Table {
  /** Where one signs in; undefined where nobody does. */
  readonly tokens?: string | undefined;
  readonly me?: string | undefined;
  /** Whether only signed-in callers may send an Idempotency-Key. */
  readonly keysAreCallers: boolean;
  readonly models: Readonly<Record<string, Route>>;
}

export interface Route {
  readonly path: string;
  readonly operations: Readonly<
    Record<string, { readonly name: string; readonly reads: boolean; readonly ofRecord: boolean }>
  >;
  /** The lists of the records within one. */
  readonly parts: Readonly<Record<string, string>>;
}

type Query = Readonly<Record<string, unknown>>;

interface Sent {
  readonly query?: Query | undefined;
  readonly body?: unknown;
  readonly type?: string;
  readonly headers?: Readonly<Record<string, string | undefined>>;
  readonly signal?: AbortSignal | undefined;
  /** Whether it may be sent again: then it is done once all the same. */
  readonly again: boolean;
}

interface Got {
  readonly status: number;
  readonly headers: Headers;
  readonly body: Body | undefined;
}

interface Body {
  readonly data?: unknown;
  readonly access_token?: unknown;
}

const FIRST_PAUSE_MS = 200;
const LONGEST_PAUSE_MS = 10_000;

/** What the requests of a client go out by. */
interface Connection {
  readonly state: { signedIn: string | undefined };
  readonly options: ClientOptions;
  readonly always: Readonly<Record<string, string>>;
  readonly base: string;
  readonly retries: number;
  readonly ask: (url: string, init: RequestInit) => Promise<Response>;
  readonly table: Table;
}

/** Makes a client of a table. Its methods are typed where it is given a type. */
export function connect(table: Table, options: ClientOptions): unknown {
  const { url, retries = 2, headers: always = {} } = options;
  const ask = options.fetch ?? ((target, init) => fetch(target, init));
  const base = url.replace(/\/+$/, '');
  const state: { signedIn: string | undefined } = { signedIn: undefined };

  const connection: Connection = { state, options, always, base, retries, ask, table };
  const session = {
    signIn: async (credentials: unknown, { signal }: RequestOptions = {}) => {
      const { body } = await send(connection, 'POST', table.tokens!, { body: credentials, signal, again: false });
      state.signedIn = String(body!.access_token);
      return body;
    },
    /** Forgets the token of `signIn`, which is still good. */
    signOut: () => void (state.signedIn = undefined),
    /** Ends all tokens of the caller. */
    revoke: async ({ signal }: RequestOptions = {}) => {
      await send(connection, 'POST', `${table.me!.replace(/me$/, 'tokens')}/revoke`, { signal, again: true });
      state.signedIn = undefined;
    },
    me: async ({ signal, ...query }: Query & RequestOptions = {}) =>
      recordIn(connection, await send(connection, 'GET', table.me!, { query, signal, again: true })),
  };
  return {
    ...Object.fromEntries(Object.entries(table.models).map(([name, route]) => [name, collection(connection, route)])),
    session,
  };
}

async function tokenNow({ state, options }: Connection): Promise<string | undefined> {
  if (state.signedIn !== undefined) return state.signedIn;
  return typeof options.token === 'function' ? options.token() : options.token;
}

async function send(connection: Connection, method: string, path: string, sent: Sent): Promise<Got> {
  const { always, base, retries, ask } = connection;
  const { signal } = sent;
  const token = await tokenNow(connection);
  const headers: Record<string, string> = { accept: 'application/json', ...always };
  if (token !== undefined) Object.assign(headers, { authorization: `Bearer ${token}` });
  if (sent.body !== undefined) headers['content-type'] = sent.type ?? 'application/json';
  for (const [name, value] of Object.entries(sent.headers ?? {})) if (value !== undefined) headers[name] = value;
  const init: RequestInit = { method, headers, ...(signal === undefined ? {} : { signal }) };
  if (sent.body !== undefined) init.body = JSON.stringify(sent.body);
  const target = base + path + queryText(sent.query);
  for (let tried = 0; ; tried += 1) {
    const isLast = !sent.again || tried >= retries;
    let response: Response;
    try {
      response = await ask(target, init);
    } catch (error) {
      if (isLast || signal?.aborted === true) throw error;
      await pause(tried, undefined, signal);
      continue;
    }
    const { status } = response;
    const after = secondsOf(response.headers.get('retry-after'));
    if (!isLast && (status === 429 || status === 503)) {
      await response.text();
      await pause(tried, after, signal);
      continue;
    }
    const text = await response.text();
    const isJson = response.headers.get('content-type')?.includes('json') === true && text !== '';
    const body = isJson ? (JSON.parse(text) as Body) : undefined;
    // The answer to the first of them was lost: the record is gone because of it.
    if (method === 'DELETE' && status === 404 && tried > 0)
      return { status: 204, headers: response.headers, body: undefined };
    if (status >= 400) throw new Problem(status, { ...body }, after);
    return { status, headers: response.headers, body };
  }
}

/** A record that came back, with its ETag. */
function recordIn(_connection: Connection, { headers, body }: Got): unknown {
  const data = body?.data;
  const tag = headers.get('etag');
  if (typeof data === 'object' && data !== null && tag !== null) tags.set(data, tag);
  return data;
}

async function pageAt(
  connection: Connection,
  path: string,
  query: Query | undefined,
  signal: AbortSignal | undefined,
): Promise<Page<unknown>> {
  const { body } = await send(connection, 'GET', path, { query, signal, again: true });
  const { data, page } = body as unknown as {
    data: unknown[];
    page: { limit: number; total?: number; next: string | null; prev: string | null };
  };
  const to =
    (link: string | null) =>
    (more: RequestOptions = {}) =>
      link === null ? Promise.resolve(null) : pageAt(connection, link, undefined, more.signal);
  return {
    data,
    limit: page.limit,
    ...(page.total === undefined ? {} : { total: page.total }),
    next: to(page.next),
    prev: to(page.prev),
  };
}

function lists(connection: Connection, path: string) {
  const list = ({ signal, ...query }: Query & RequestOptions = {}) => pageAt(connection, path, query, signal);
  async function* each(given: Query & RequestOptions = {}): AsyncGenerator {
    for (let page: Page<unknown> | null = await list(given); page !== null; page = await page.next(given))
      yield* page.data;
  }
  return { list, each };
}

/** A key for a request that may be sent again; none where the service takes none of this caller. */
async function keyFor(connection: Connection, { idempotencyKey }: MakeOptions): Promise<string | undefined> {
  const { retries, table } = connection;
  if (idempotencyKey !== undefined || retries === 0) return idempotencyKey;
  return table.keysAreCallers && (await tokenNow(connection)) === undefined ? undefined : crypto.randomUUID();
}

async function make(connection: Connection, path: string, body: unknown, given: MakeOptions): Promise<Got> {
  const key = await keyFor(connection, given);
  return send(connection, 'POST', path, {
    body,
    signal: given.signal,
    headers: { 'idempotency-key': key },
    again: key !== undefined,
  });
}

function creates(connection: Connection, path: string) {
  return {
    create: async (body: unknown, given: MakeOptions = {}) =>
      recordIn(connection, await make(connection, path, body, given)),
    createMany: async (bodies: readonly unknown[], given: MakeOptions = {}) =>
      (await make(connection, path, bodies, given)).body?.data,
  };
}

function collection(connection: Connection, { path, operations, parts }: Route): Record<string, unknown> {
  const at = (key: string | number): string => `${path}/${encodeURIComponent(key)}`;
  const change =
    (method: string, type?: string) =>
    async (key: string | number, body: unknown, { ifMatch, signal }: WriteOptions = {}) =>
      recordIn(
        connection,
        await send(connection, method, at(key), {
          body,
          ...(type === undefined ? {} : { type }),
          signal,
          headers: { 'if-match': tagOf(ifMatch) },
          // Done again it comes to the same; or the first time has changed what the second asks for.
          again: method === 'PUT' && ifMatch === undefined,
        }),
      );
  const own: Record<string, unknown> = {
    ...lists(connection, path),
    ...creates(connection, path),
    read: async (key: string | number, { signal, ...query }: Query & RequestOptions = {}) =>
      recordIn(connection, await send(connection, 'GET', at(key), { query, signal, again: true })),
    replace: change('PUT'),
    update: change('PATCH', 'application/merge-patch+json'),
    patch: change('PATCH', 'application/json-patch+json'),
    delete: async (key: string | number, { ifMatch, signal }: WriteOptions = {}) =>
      void (await send(connection, 'DELETE', at(key), {
        signal,
        headers: { 'if-match': tagOf(ifMatch) },
        again: ifMatch === undefined,
      })),
    clear: async ({ signal, ...query }: Query & RequestOptions) =>
      (await send(connection, 'DELETE', path, { query, signal, again: true })).body?.data,
    journal: lists(connection, `${path}/journal`),
    journalOf: (key: string | number) => lists(connection, `${at(key)}/journal`),
    within: (key: string | number) =>
      Object.fromEntries(
        Object.entries(parts).map(([name, part]) => [
          name,
          { ...lists(connection, `${at(key)}/${part}`), ...creates(connection, `${at(key)}/${part}`) },
        ]),
      ),
  };
  for (const [method, { name, reads, ofRecord }] of Object.entries(operations)) {
    const perform = async (target: string, input: unknown, given: MakeOptions = {}) => {
      const got = reads
        ? await send(connection, 'GET', target, { query: input as Query, signal: given.signal, again: true })
        : await make(connection, target, input ?? {}, given);
      return got.body?.data;
    };
    own[method] = ofRecord
      ? (key: string | number, input?: unknown, given?: MakeOptions) => perform(`${at(key)}/${name}`, input, given)
      : (input?: unknown, given?: MakeOptions) => perform(`${path}/${name}`, input, given);
  }
  return own;
}

const tagOf = (given: object | string | undefined): string | undefined => {
  if (given === undefined || typeof given === 'string') return given;
  const tag = tags.get(given);
  if (tag === undefined)
    throw new TypeError('ifMatch: this object is no record that was read or written by this client');
  return tag;
};

type Plain = string | number | boolean | undefined;

/** `where` becomes a parameter for each of its members; other lists are separated by commas. */
function queryText({ where, ...rest }: Query = {}): string {
  const query = new URLSearchParams();
  for (const [name, value] of Object.entries((where ?? {}) as Readonly<Record<string, Plain | readonly Plain[]>>)) {
    for (const one of [value].flat()) if (one !== undefined) query.append(name, String(one));
  }
  for (const [name, value] of Object.entries(rest as Readonly<Record<string, Plain | readonly string[]>>)) {
    if (value !== undefined) query.append(name, String(value));
  }
  const text = query.toString();
  return text === '' ? '' : `?${text}`;
}

/** Seconds, given as such or as the time that they end. */
function secondsOf(header: string | null): number | undefined {
  if (header === null) return undefined;
  const seconds = /^\d+$/.test(header) ? Number(header) : (Date.parse(header) - Date.now()) / 1000;
  return Number.isNaN(seconds) ? undefined : Math.max(0, seconds);
}

/** Waits as long as the service says, else longer each time; a signal ends it. */
function pause(tried: number, after: number | undefined, signal: AbortSignal | undefined): Promise<void> {
  const wanted = after === undefined ? FIRST_PAUSE_MS * 2 ** tried * (0.5 + Math.random()) : after * 1000;
  return new Promise((resolve, reject) => {
    const stop = (): void => {
      clearTimeout(timer);
      reject(signal!.reason as Error);
    };
    const timer = setTimeout(
      () => {
        signal?.removeEventListener('abort', stop);
        resolve();
      },
      Math.min(wanted, LONGEST_PAUSE_MS),
    );
    if (signal?.aborted === true) stop();
    else signal?.addEventListener('abort', stop, { once: true });
  });
}
