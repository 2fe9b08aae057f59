import { promisify } from 'node:util';
import { brotliCompress, constants, gzip } from 'node:zlib';
import { LRUCache } from 'lru-cache';
import Negotiator from 'negotiator';
import type { Reply, Request } from '../core/api/message.ts';
import { codedTag, namesCodedTag } from '../core/http/request/entity-tag.ts';
import type { Coding } from '../core/http/request/entity-tag.ts';

/** Bytes. What is shorter gains nothing. */
const SHORTEST = 1_024;
/** The one to take where a client likes both as much comes first. */
const CODINGS: readonly Coding[] = ['br', 'gzip'];
/** Bytes of text that a coder looks back over: an answer is rarely longer, and each request has a coder of its own. */
const WINDOW_BITS = 18;
const MOST_KEPT = 500;

const gzipped = promisify(gzip);
const brotlied = promisify(brotliCompress);
const BROTLI = {
  params: {
    [constants.BROTLI_PARAM_MODE]: constants.BROTLI_MODE_TEXT,
    [constants.BROTLI_PARAM_QUALITY]: 4,
    [constants.BROTLI_PARAM_LGWIN]: WINDOW_BITS,
  },
};

const compress: Readonly<Record<Coding, (body: string) => Promise<Uint8Array>>> = {
  gzip: (body) => gzipped(body),
  br: (body) => brotlied(body, BROTLI),
};

/** What its types leave out. */
interface Preferring {
  encodings(available: readonly string[], options: { readonly preferred: readonly string[] }): string[];
}

/** Clients send the same few headers again and again. */
const knownHeaders = new LRUCache<string, { readonly coding: Coding | undefined }>({ max: MOST_KEPT });

/** The coding to send a client (RFC 9110, 12.5.3); undefined where it takes none that there is. */
function codingFor(accepted: string | string[] | undefined): Coding | undefined {
  if (accepted === undefined) return undefined;
  const header = String(accepted);
  let found = knownHeaders.get(header);
  if (found === undefined) {
    const negotiator = new Negotiator({ headers: { 'accept-encoding': header } }) as unknown as Preferring;
    const [first] = negotiator.encodings([...CODINGS, 'identity'], { preferred: CODINGS });
    found = { coding: CODINGS.find((coding) => coding === first) };
    knownHeaders.set(header, found);
  }
  return found.coding;
}

/** An answer as a client takes it: compressed where it asks for that, with a tag of its own (RFC 9110, 8.8.3.3). */
export type Compress = (request: Pick<Request, 'headers'>, reply: Reply) => Reply | Promise<Reply>;

/**
 * Answers that are given again are not compressed again: `most` bytes are kept of texts and what became of them. What
 * nobody may store holds secrets, whose length would tell of them: it is left as it is.
 */
export function makeCompression(most: number): Compress {
  const keepers = { br: keeperOf(most / 2), gzip: keeperOf(most / 2) };
  return (request, reply) => compressed(request, reply, keepers);
}

/** What texts have become. */
interface Keeper {
  get(text: string): Uint8Array | undefined;
  keep(text: string, coded: Uint8Array): void;
}

function keeperOf(most: number): Keeper {
  const kept =
    most < 1
      ? undefined
      : new LRUCache<string, Uint8Array>({
          maxSize: most,
          maxEntrySize: Math.ceil(most / 4),
          sizeCalculation: (coded, text) => coded.length + text.length,
        });
  return { get: (text) => kept?.get(text), keep: (text, coded) => void kept?.set(text, coded) };
}

function compressed(
  { headers }: Pick<Request, 'headers'>,
  reply: Reply,
  keepers: Readonly<Record<Coding, Keeper>>,
): Reply | Promise<Reply> {
  if (reply.coded !== undefined) return reply;
  if (reply.status === 304) return taggedAsAsked(headers['if-none-match'], reply);
  const { body } = reply;
  if (body === undefined || body.length < SHORTEST || reply.headers['cache-control'] === 'no-store') return reply;
  const own = { ...reply.headers };
  own.vary = own.vary === undefined ? 'Accept-Encoding' : `Accept-Encoding, ${own.vary}`;
  const plain = { ...reply, headers: own };
  const coding = codingFor(headers['accept-encoding']);
  if (coding === undefined) return plain;
  const sent = (coded: Uint8Array): Reply => {
    own['content-encoding'] = coding;
    if (own.etag !== undefined) own.etag = codedTag(own.etag, coding);
    return { ...plain, coded };
  };
  const known = keepers[coding].get(body);
  if (known !== undefined) return sent(known);
  return compress[coding](body).then(
    (coded) => {
      keepers[coding].keep(body, coded);
      return sent(coded);
    },
    // A machine without memory for it can still send it as it is.
    () => plain,
  );
}

/** A client that has the compressed form is told of that one. */
function taggedAsAsked(asked: string | string[] | undefined, reply: Reply): Reply {
  const { etag } = reply.headers;
  if (etag === undefined || asked === undefined) return reply;
  const coding = CODINGS.find((one) => namesCodedTag(asked, etag, one));
  return coding === undefined ? reply : { ...reply, headers: { ...reply.headers, etag: codedTag(etag, coding) } };
}
