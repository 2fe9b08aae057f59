import { createServer } from 'node:http';
import type { IncomingMessage, Server as HttpServer, ServerResponse } from 'node:http';
import { Server as NetServer } from 'node:net';
import type { Socket } from 'node:net';
import { trace as traces } from '@opentelemetry/api';
import proxyAddr from 'proxy-addr';
import type { Reply, Request, Trace } from '../core/api/message.ts';
import { HttpProblem, LATER, tooLarge } from '../core/api/problems.ts';
import { traceOf } from '../core/http/trace.ts';
import type { Service as WholeService } from '../core/service.ts';
import { makeCompression } from './compression.ts';
import type { Compress } from './compression.ts';

export interface ServerOptions {
  readonly host: string;
  /** 0 for any free port. */
  readonly port: number;
  /** Bytes. */
  readonly largestBody: number;
  /** Bytes of answers that are kept compressed; left out: none. */
  readonly kept?: number;
  /** Addresses, or ranges of them, of proxies that may name the client's in X-Forwarded-For. */
  readonly proxies?: readonly string[];
  /**
   * Whether other processes listen on the same port. They take what is new as soon as this one drains, and it answers
   * whatever it has taken itself.
   */
  readonly isShared?: boolean;
}

/** What a socket needs of a service. */
type Service = Pick<WholeService, 'handle' | 'refuse'>;

export interface Server {
  /** `http://127.0.0.1:8080` */
  readonly url: string;
  /** From now on it says that it is not ready, and that each answer is the last of its connection; it still answers. */
  drain(): void;
  /** Finishes open requests, and refuses new ones; each answer is the last of its connection. */
  close(): Promise<void>;
  /** Ends every connection, whatever is open on it. */
  cutOff(): void;
}

/** A client that sends its request, or only its headers, more slowly than this is not waited for. */
const SLOWEST_REQUEST_MS = 30_000;
const SLOWEST_HEADERS_MS = 10_000;
/** Nor one that takes nothing of its answer for so long. */
const SLOWEST_READER_MS = 60_000;
const LOOKED_AFTER_MS = 2_000;
/** Bytes of all headers together. */
const MOST_HEADERS = 16_384;
/** A connection on which nothing is asked is kept for so long. */
const KEPT_OPEN_MS = 72_000;

/** Puts a service on a socket. Rejects with the system's own error where it can't listen. */
export async function startServer(service: Service, options: ServerOptions): Promise<Server> {
  const state: State = { isClosing: false, isDraining: false };
  const [clientOf, compress] = [clientAddress(options.proxies ?? []), makeCompression(options.kept ?? 0)];
  const around: Around = { service, clientOf, compress, state };
  const server = httpServer(around, options.largestBody);
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen({ host: options.host, port: options.port }, () => {
      server.off('error', reject);
      resolve();
    });
  });
  const address = server.address();
  const port = typeof address === 'object' && address !== null ? address.port : options.port;
  return {
    url: serverUrl(options.host, port),
    drain() {
      state.isDraining = true;
      // Stops listening and no more: connections without a request may have one on its way.
      if (options.isShared === true) NetServer.prototype.close.call(server);
    },
    close() {
      state.isDraining = true;
      state.isClosing = options.isShared !== true;
      return new Promise((resolve) => server.close(() => resolve()));
    },
    cutOff: () => server.closeAllConnections(),
  };
}

/** `http://127.0.0.1:8080`, `http://[::1]:8080` */
export const serverUrl = (host: string, port: number): string =>
  `http://${host.includes(':') ? `[${host}]` : host}:${port}`;

/** What answering a request takes beside the request itself. */
interface Around {
  readonly service: Service;
  readonly clientOf: ClientOf;
  readonly compress: Compress;
  readonly state: State;
}

interface State {
  isClosing: boolean;
  isDraining: boolean;
}

/** Balancers ask here whether to send more. */
const READY = '/health/ready';

function httpServer(around: Around, largestBody: number): HttpServer {
  const limits = {
    headersTimeout: SLOWEST_HEADERS_MS,
    requestTimeout: SLOWEST_REQUEST_MS,
    keepAliveTimeout: KEPT_OPEN_MS,
    connectionsCheckingInterval: LOOKED_AFTER_MS,
    maxHeaderSize: MOST_HEADERS,
  };
  const server = createServer(limits, (request, response) => {
    const { isClosing, isDraining } = around.state;
    if (isClosing || (isDraining && request.url === READY)) refuseWhileClosing(around, request, response);
    else if (hasNoBody(request)) answer(around, request, response, undefined);
    else readBody(around, request, response, largestBody);
  });
  server.on('clientError', refuseNoise);
  server.setTimeout(SLOWEST_READER_MS);
  return server;
}

/** What a GET has as its body means nothing (RFC 9110, 9.3.1): it is not even kept. */
const hasNoBody = ({ method, headers }: IncomingMessage): boolean =>
  method === 'GET' ||
  method === 'HEAD' ||
  (headers['content-length'] === undefined && headers['transfer-encoding'] === undefined);

/** Answers a request once it has its body, as bytes: what they mean is the service's business. */
function readBody(around: Around, request: IncomingMessage, response: ServerResponse, largest: number): void {
  // What was refused before its body was read leaves bytes behind that are no request: the connection ends with it.
  const refuse = (): void => write(response, around.service.refuse(tooLarge(largest), headOf(request)), true);
  if (Number(request.headers['content-length'] ?? 0) > largest) return refuse();
  const chunks: Buffer[] = [];
  let length = 0;
  const add = (chunk: Buffer): void => {
    length += chunk.length;
    if (length <= largest) return void chunks.push(chunk);
    request.off('data', add).off('end', end);
    refuse();
  };
  // A client that has sent less than it said is gone: then there is no end.
  const end = (): void => answer(around, request, response, chunks.length === 1 ? chunks[0] : Buffer.concat(chunks));
  request.on('data', add).on('end', end);
}

type ClientOf = (request: IncomingMessage) => string | undefined;

/** The address of the client: that of its end of the connection, or what proxies in between say that it is. */
function clientAddress(proxies: readonly string[]): ClientOf {
  if (proxies.length === 0) return (request) => request.socket.remoteAddress;
  const isTrusted = proxyAddr.compile([...proxies]);
  return (request) => {
    try {
      return proxyAddr(request, isTrusted);
    } catch {
      // What stands in the header is no address.
      return request.socket.remoteAddress;
    }
  };
}

function answer(
  { service, clientOf, compress, state }: Around,
  request: IncomingMessage,
  response: ServerResponse,
  body: Buffer | undefined,
): void {
  void service.handle(new SocketRequest(request, response, body, clientOf(request))).then((reply) => {
    const send = (one: Reply): void => write(response, one, state.isClosing || state.isDraining);
    const form = compress(request, reply);
    return form instanceof Promise ? form.then(send) : send(form);
  });
}

/** A request as the service takes it. A class, because its signal and its trace are made on demand. */
class SocketRequest implements Request {
  readonly method: string;
  readonly target: string;
  readonly headers: Request['headers'];
  readonly body: Buffer | undefined;
  readonly client: string | undefined;
  private readonly response: ServerResponse;
  private gone: AbortController | undefined;
  private place: Trace | undefined;

  constructor(
    { method, headers, url }: IncomingMessage,
    response: ServerResponse,
    body: Buffer | undefined,
    client: string | undefined,
  ) {
    this.method = method!;
    this.target = originForm(url!);
    this.headers = headers;
    this.body = body;
    this.client = client;
    this.response = response;
    this.gone = undefined;
    this.place = undefined;
  }

  get signal(): AbortSignal {
    this.gone ??= goneWith(this.response);
    return this.gone.signal;
  }

  get trace(): Trace {
    this.place ??= traceOf(this.headers, traces.getActiveSpan()?.spanContext());
    return this.place;
  }
}

/** Aborted when a client closes its connection before it has its answer. */
function goneWith(response: ServerResponse): AbortController {
  const gone = new AbortController();
  const close = (): void => {
    if (!response.writableFinished) gone.abort(new HttpProblem('time-ran-out', 'the client has gone'));
  };
  if (response.destroyed) close();
  else response.once('close', close);
  return gone;
}

function refuseWhileClosing({ service }: Around, request: IncomingMessage, response: ServerResponse): void {
  const reply = service.refuse(new HttpProblem('stopping', undefined, { headers: LATER }), headOf(request));
  write(response, request.method === 'HEAD' ? { ...reply, body: undefined } : reply, true);
}

const headOf = ({ url, headers }: IncomingMessage): Pick<Request, 'target' | 'headers'> => ({ target: url!, headers });

/** A request may name the whole URL (RFC 9112, 3.2.2): what counts of it is the path and the query. */
const originForm = (target: string): string =>
  target.startsWith('/') ? target : target.replace(/^https?:\/\/[^/?#]*/i, '').replace(/^(?!\/)/, '/');

/** An answer is finished text with all its headers: it goes to the socket as it is. */
function write(response: ServerResponse, { status, headers, body = '', coded }: Reply, isLast: boolean): void {
  const sent = coded ?? body;
  const hasBody = status !== 204 && status !== 304;
  if (isLast) response.setHeader('connection', 'close');
  response.writeHead(status, !hasBody ? headers : { ...headers, 'content-length': Buffer.byteLength(sent) });
  response.end(sent);
}

/**
 * What can't be read as HTTP at all. There is no telling whether it asked for a body (HEAD doesn't), so it gets none.
 */
function refuseNoise(error: Error & { code?: string }, socket: Socket): void {
  if (error.code === 'ECONNRESET' || !socket.writable) return;
  const status =
    error.code === 'HPE_HEADER_OVERFLOW'
      ? '431 Request Header Fields Too Large'
      : error.code === 'ERR_HTTP_REQUEST_TIMEOUT'
        ? '408 Request Timeout'
        : '400 Bad Request';
  socket.end(`HTTP/1.1 ${status}\r\nContent-Length: 0\r\nConnection: close\r\n\r\n`);
}
