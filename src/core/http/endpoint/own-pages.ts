import { promisify } from 'node:util';
import { gzip } from 'node:zlib';
import Negotiator from 'negotiator';
import { allEndpoints } from '../../api/endpoints.ts';
import { COMMON_HEADERS, JSON_HEADERS } from '../../api/message.ts';
import type { Reply, Request } from '../../api/message.ts';
import { HttpProblem, problemTypes, refuseParameters } from '../../api/problems.ts';
import type { ProblemName } from '../../api/problems.ts';
import type { Graph } from '../../model/graph.ts';
import type { Statement } from '../../sql/statement.ts';
import type { Store } from '../../store/contract.ts';
import { problemPage } from '../problem-reply.ts';
import { codedTag, isNamed, plainTag } from '../request/entity-tag.ts';
import type { EntityTags } from '../request/entity-tag.ts';

export interface OwnPages {
  has(path: string): boolean;
  /** Undefined where there is none. */
  answer(request: Request, path: string, query: string): Promise<Reply | undefined>;
}

export interface OwnPagesOptions {
  readonly graph: Graph;
  readonly store: Store;
  readonly tags: EntityTags;
  /** The texts of the OpenAPI document. Each is written at its first request, and kept. */
  readonly documents: { json(): Promise<string>; yaml(): Promise<string> };
}

const ALLOW = 'GET, HEAD, OPTIONS';
const PROBE: Statement = { sql: 'SELECT 1' };

/** What a service answers about itself: its index, its document, its health and the pages of its problems. */
export function makeOwnPages({ graph, store, tags, documents }: OwnPagesOptions): OwnPages {
  const json = (value: unknown): Reply => ({ status: 200, headers: JSON_HEADERS, body: JSON.stringify(value) });
  const healthy = json({ data: { status: 'ok' } });
  const pages = new Map<string, (request: Request) => Reply | Promise<Reply>>();
  const fixed = (path: string, reply: Reply): void => void pages.set(path, () => reply);

  fixed('/', json({ data: indexOf(graph) }));
  pages.set(
    '/openapi.json',
    tagged('application/json', () => documents.json(), tags),
  );
  pages.set(
    '/openapi.yaml',
    tagged('application/yaml', () => documents.yaml(), tags),
  );
  fixed('/health/live', healthy);
  pages.set('/health/ready', async () => {
    await store.first(PROBE, []);
    return healthy;
  });
  for (const name of Object.keys(problemTypes) as ProblemName[]) fixed(`/problems/${name}`, problemPage(name));

  return {
    has: (path) => pages.has(path),
    async answer(request, path, query) {
      const { method } = request;
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
      return page(request);
    },
  };
}

/** A text that is made once, and compressed for those who take it so (RFC 9110, 8.4); each form has its own ETag. */
function tagged(type: string, write: () => Promise<string>, tags: EntityTags): (request: Request) => Promise<Reply> {
  const common = { 'content-type': type, ...COMMON_HEADERS, vary: 'Accept-Encoding' };
  const plain = once(async (): Promise<Reply> => {
    const body = await write();
    return { status: 200, headers: { ...common, etag: `"${tags.mark(body)}"` }, body, coded: Buffer.from(body) };
  });
  const short = once(async (): Promise<Reply> => {
    const { body, coded, headers } = await plain();
    const etag = codedTag(headers.etag!, 'gzip');
    return {
      status: 200,
      headers: { ...common, 'content-encoding': 'gzip', etag },
      body,
      coded: await promisify(gzip)(coded!),
    };
  });
  return async ({ headers }) => {
    const form = await (takesGzip(headers['accept-encoding']) ? short() : plain());
    const etag = form.headers.etag!;
    if (!isNamed(headers['if-none-match'], plainTag(etag))) return form;
    return { status: 304, headers: { ...COMMON_HEADERS, vary: 'Accept-Encoding', etag } };
  };
}

/** What `make` has made, which is made again where that failed. */
function once<Made>(make: () => Promise<Made>): () => Promise<Made> {
  let made: Promise<Made> | undefined;
  return () => {
    made ??= make().catch((error: unknown) => {
      made = undefined;
      throw error;
    });
    return made;
  };
}

const takesGzip = (accepted: string | string[] | undefined): boolean =>
  accepted !== undefined &&
  new Negotiator({ headers: { 'accept-encoding': String(accepted) } }).encodings(['gzip']).length > 0;

/** Name, version, and links. */
function indexOf(graph: Graph): Record<string, unknown> {
  const { name, version, description } = graph.service;
  const lists = allEndpoints(graph).filter((endpoint) => endpoint.name === 'list' && endpoint.under === undefined);
  return {
    name,
    version,
    ...(description === undefined ? {} : { description }),
    links: {
      openapi: '/openapi.json',
      'openapi-yaml': '/openapi.yaml',
      live: '/health/live',
      ready: '/health/ready',
      ...Object.fromEntries(lists.map((endpoint) => [endpoint.model.plural, endpoint.path])),
    },
  };
}
