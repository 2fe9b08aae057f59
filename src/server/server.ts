import Fastify from 'fastify';
import type { FastifyError, FastifyReply, FastifyRequest } from 'fastify';
import { HttpProblem, tooLarge } from '../core/http/problems.ts';
import type { Reply } from '../core/http/message.ts';
import type { Service } from '../core/service.ts';

export interface ServerOptions {
  readonly host: string;
  /** 0 for any free port. */
  readonly port: number;
  /** Bytes. */
  readonly largestBody: number;
}

export interface Server {
  /** `http://127.0.0.1:8080` */
  readonly url: string;
  /** Finishes open requests and takes no new ones. */
  close(): Promise<void>;
}

/** A client that sends its request more slowly than this is not waited for. */
const SLOWEST_REQUEST_MS = 30_000;

/** Puts a service on a socket. Rejects with the system's own error where it can't listen. */
export async function startServer(service: Service, options: ServerOptions): Promise<Server> {
  const app = Fastify({
    bodyLimit: options.largestBody,
    requestTimeout: SLOWEST_REQUEST_MS,
    forceCloseConnections: 'idle',
    return503OnClosing: false,
    exposeHeadRoutes: false,
    frameworkErrors: (error, request, reply) => {
      send(reply, service.refuse(problemOf(error, options), request.url));
    },
  });

  // Bodies go to the service as bytes: what they mean is its own business.
  app.removeAllContentTypeParsers();
  app.addContentTypeParser('*', { parseAs: 'buffer' }, (_request, body, done) => done(null, body));

  const handle = (request: FastifyRequest, reply: FastifyReply): void => {
    const { method, headers, url } = request.raw;
    const message = { method: method!, target: url!, headers, body: request.body as Buffer | undefined };
    void service.handle(message).then((answer) => send(reply, answer));
  };
  app.all('/*', handle);
  app.setNotFoundHandler(handle);
  app.setErrorHandler((error: FastifyError, request, reply) => {
    send(reply, service.refuse(problemOf(error, options), request.url));
  });

  await app.listen({ host: options.host, port: options.port });
  const address = app.server.address();
  const port = typeof address === 'object' && address !== null ? address.port : options.port;
  const host = options.host.includes(':') ? `[${options.host}]` : options.host;
  return { url: `http://${host}:${port}`, close: () => app.close() };
}

/**
 * The answer is finished text with all its headers: it goes to the socket as it is, past what a framework would still
 * look for in it.
 */
function send(reply: FastifyReply, { status, headers, body = '' }: Reply): void {
  reply.hijack();
  reply.raw.writeHead(status, status === 204 ? headers : { ...headers, 'content-length': Buffer.byteLength(body) });
  reply.raw.end(body);
}

/** What the server itself refuses, before the service has seen it. */
function problemOf(error: FastifyError, { largestBody }: ServerOptions): HttpProblem {
  if (error.code === 'FST_ERR_CTP_BODY_TOO_LARGE') return tooLarge(largestBody);
  if (error.statusCode !== undefined && error.statusCode < 500) {
    return new HttpProblem('malformed-request', 'the path or a header of the request is not well-formed');
  }
  return new HttpProblem('inner-defect');
}
