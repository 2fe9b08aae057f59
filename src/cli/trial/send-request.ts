import { Agent, request as httpRequest } from 'node:http';
import { Agent as SecureAgent, request as httpsRequest } from 'node:https';
import type { Answer } from '../../core/trial/answer.ts';
import type { Sent } from '../../core/trial/report/outcome.ts';

const SETTINGS = { keepAlive: true, maxSockets: 64, scheduling: 'lifo' } as const;
const agents = { 'http:': new Agent(SETTINGS), 'https:': new SecureAgent(SETTINGS) };

/** Sends a request over a connection that is kept for the next one. */
export function sendRequest(
  url: string,
  { method, path, headers, body }: Pick<Sent, 'method' | 'path' | 'headers' | 'body'>,
  token: string | undefined,
): Promise<Answer> {
  const target = new URL(url);
  const isSecure = target.protocol === 'https:';
  const bytes = body === undefined ? undefined : Buffer.from(JSON.stringify(body));
  const given = {
    ...headers,
    ...(bytes === undefined ? {} : { 'content-length': bytes.length }),
    ...(token === undefined ? {} : { authorization: `Bearer ${token}` }),
  };
  const options = {
    method,
    host: target.hostname.replace(/^\[|\]$/g, ''),
    port: target.port,
    path: target.pathname.replace(/\/+$/, '') + path,
    headers: given,
    agent: isSecure ? agents['https:'] : agents['http:'],
  };
  return new Promise((resolve, reject) => {
    const sent = (isSecure ? httpsRequest : httpRequest)(options, (response) => {
      const chunks: Buffer[] = [];
      response.on('data', (chunk: Buffer) => chunks.push(chunk));
      response.on('error', reject);
      response.on('end', () => {
        const text = Buffer.concat(chunks).toString('utf8');
        resolve({
          status: response.statusCode!,
          headers: Object.fromEntries(
            Object.entries(response.headers).map(([name, value]) => [name, [value].flat().join(', ')]),
          ),
          body: text === '' ? undefined : parsed(text),
        });
      });
    });
    sent.on('error', reject);
    sent.end(bytes);
  });
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
}
