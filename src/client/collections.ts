import type { MakeOptions, RequestOptions, WriteOptions } from './options.ts';
import { send, tokenNow } from './send.ts';
import type { Connection, Got, Route, Sent } from './send.ts';
import type { Query } from './query.ts';

/** One page of a list, as plain data. */
export interface Page<Item> {
  readonly data: readonly Item[];
  readonly limit: number;
  /** The number of all records, if it was requested. */
  readonly total?: number;
  /** What to give as `after` for the next page, or null on the last one. */
  readonly next: string | null;
  /** What to give as `before` for the page before, or null on the first one. */
  readonly prev: string | null;
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

/** Where a record has its ETag: a copy made by `{ ...record }` has it too, and JSON does not. */
const TAG = Symbol('etag');

/** The ETag of a record that was read or written, or of a copy of it. */
export const etagOf = (record: object): string | undefined => (record as { readonly [TAG]?: string })[TAG];

function withTag(record: unknown, tag: string | null | undefined): unknown {
  if (typeof record === 'object' && record !== null && tag !== null && tag !== undefined)
    Object.assign(record, { [TAG]: tag });
  return record;
}

const tagOf = (given: object | string | undefined): string | undefined => {
  if (given === undefined || typeof given === 'string') return given;
  const tag = etagOf(given);
  if (tag === undefined)
    throw new TypeError('ifMatch: this object has no ETag; give a record that was read or written');
  return tag;
};

/** The record or records of an answer, with their ETags. */
export function dataIn({ headers, body }: Got): unknown {
  const data = body?.data;
  // One of many that the caller may not read has none.
  if (!Array.isArray(data)) return withTag(data, headers?.get('etag'));
  return data.map((record: unknown, at) => withTag(record, body?.etags?.[at]));
}

/** What every request takes, apart from the query. */
function common({ signal, headers, ...query }: Query & RequestOptions): Pick<Sent, 'signal' | 'headers' | 'query'> {
  return { signal, headers, query };
}

function lists(connection: Connection, path: string) {
  async function list(given: Query & RequestOptions = {}): Promise<Page<unknown>> {
    const got = await send(connection, 'GET', path, { ...common(given), again: true });
    const { page = { limit: 0, total: 0, next: null, prev: null } } = (got.body ?? {}) as {
      page?: { limit: number; total?: number; next: string | null; prev: string | null };
    };
    return {
      data: (dataIn(got) ?? []) as unknown[],
      limit: page.limit,
      ...(page.total === undefined ? {} : { total: page.total }),
      next: cursorIn(page.next, 'after'),
      prev: cursorIn(page.prev, 'before'),
    };
  }
  async function* each(given: Query & RequestOptions = {}): AsyncGenerator<unknown, void, undefined> {
    let page = await list(given);
    yield* page.data;
    while (page.next !== null) {
      const { offset: _offset, ...rest } = given as Query & { readonly offset?: unknown };
      page = await list({ ...rest, after: page.next });
      yield* page.data;
    }
  }
  return { list, each };
}

const cursorIn = (link: string | null, name: 'after' | 'before'): string | null =>
  link === null ? null : new URL(link, 'http://service.example').searchParams.get(name);

/** A key that nobody else has, in pages without https too, where browsers have no `randomUUID`. */
function freshKey(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  return Array.from(bytes, (byte) => byte.toString(16).padStart(2, '0')).join('');
}

/** A key for a request that may be sent again; none where the service takes none of this caller. */
async function keyFor(connection: Connection, { idempotencyKey }: MakeOptions): Promise<string | undefined> {
  const { options, table } = connection;
  if (idempotencyKey !== undefined || options.retries === 0) return idempotencyKey;
  return table.keysAreCallers && (await tokenNow(connection)) === undefined ? undefined : freshKey();
}

async function make(connection: Connection, path: string, body: unknown, given: MakeOptions): Promise<unknown> {
  const key = await keyFor(connection, given);
  const { signal, headers } = given;
  return dataIn(
    await send(connection, 'POST', path, {
      body,
      signal,
      headers: { ...headers, 'idempotency-key': key },
      again: key !== undefined,
    }),
  );
}

const creates = (connection: Connection, path: string) => ({
  create: (body: unknown, given: MakeOptions = {}) => make(connection, path, body, given),
  createMany: (bodies: readonly unknown[], given: MakeOptions = {}) => make(connection, path, bodies, given),
});

/** The methods of one model's records. */
export function collection(connection: Connection, { path, operations, parts }: Route): Record<string, unknown> {
  const at = (key: string | number): string => `${path}/${encodeURIComponent(key)}`;
  const change =
    (method: string, type?: string) =>
    async (key: string | number, body: unknown, { ifMatch, signal, headers }: WriteOptions = {}) =>
      dataIn(
        await send(connection, method, at(key), {
          body,
          type,
          signal,
          headers: { ...headers, 'if-match': tagOf(ifMatch) },
          // Done again it comes to the same; or the first time has changed what the second asks for.
          again: method === 'PUT' && ifMatch === undefined,
        }),
      );
  const own: Record<string, unknown> = {
    ...lists(connection, path),
    ...creates(connection, path),
    read: async (key: string | number, given: Query & RequestOptions = {}) =>
      dataIn(await send(connection, 'GET', at(key), { ...common(given), again: true })),
    replace: change('PUT'),
    update: change('PATCH', 'application/merge-patch+json'),
    patch: change('PATCH', 'application/json-patch+json'),
    delete: async (key: string | number, { ifMatch, signal, headers }: WriteOptions = {}) =>
      void (await send(connection, 'DELETE', at(key), {
        signal,
        headers: { ...headers, 'if-match': tagOf(ifMatch) },
        again: ifMatch === undefined,
      })),
    clear: async (given: Query & RequestOptions) =>
      (await send(connection, 'DELETE', path, { ...common(given), again: true })).body?.data ?? { deleted: 0 },
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
    const perform = async (target: string, input: unknown, given: MakeOptions = {}): Promise<unknown> => {
      if (!reads) return make(connection, target, input ?? {}, given);
      const { signal, headers } = given;
      return dataIn(await send(connection, 'GET', target, { query: input as Query, signal, headers, again: true }));
    };
    own[method] = ofRecord
      ? (key: string | number, input?: unknown, given?: MakeOptions) => perform(`${at(key)}/${name}`, input, given)
      : (input?: unknown, given?: MakeOptions) => perform(`${path}/${name}`, input, given);
  }
  return own;
}
