import { request } from 'node:http';
import type { Agent, ClientRequest } from 'node:http';

export interface RawAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly body: string;
  readonly milliseconds: number;
}

export interface RawRequest {
  readonly method?: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: string;
  /** The client's own address, which tells one client from another. */
  readonly from?: string;
  readonly agent?: Agent;
  /** Called with the request once it is under way. */
  begun?(request: ClientRequest): void;
}

/** One request, below whatever would make it well-behaved. Rejects where the connection is lost. */
export function raw(
  url: string,
  { method = 'GET', headers = {}, body, from, agent, begun }: RawRequest = {},
): Promise<RawAnswer> {
  const start = performance.now();
  return new Promise((resolve, reject) => {
    const length =
      body === undefined
        ? {}
        : { 'content-type': 'application/json', 'content-length': String(Buffer.byteLength(body)) };
    const sent = request(
      url,
      {
        method,
        agent: agent ?? false,
        headers: { ...length, ...headers },
        ...(from === undefined ? {} : { localAddress: from }),
      },
      (response) => {
        const chunks: Buffer[] = [];
        response.on('data', (chunk: Buffer) => chunks.push(chunk));
        response.on('error', reject);
        response.on('end', () =>
          resolve({
            status: response.statusCode!,
            headers: response.headers,
            body: Buffer.concat(chunks).toString(),
            milliseconds: performance.now() - start,
          }),
        );
      },
    );
    sent.on('error', reject);
    sent.end(body);
    begun?.(sent);
  });
}
