import { BODY_TYPES } from '../../api/media-types.ts';
import type { ClientKind } from '../../api/media-types.ts';
import type { Request } from '../../api/message.ts';
import { HttpProblem } from '../../api/problems.ts';
import { readJson } from './json-body.ts';

/** The media type that a request names, without its parameters. */
export function mediaTypeOf({ headers }: Request): string {
  const given = headers['content-type'];
  return typeof given === 'string' ? given.split(';')[0]!.trim().toLowerCase() : '';
}

/** The parsed body of a write; another media type is a 415, anything but JSON a 400. */
export function readBodyOf(request: Request, kind: ClientKind): unknown {
  const types = BODY_TYPES[kind];
  const type = mediaTypeOf(request);
  if (!types.includes(type)) {
    const got = type === '' ? 'the request names none' : `got ${type}`;
    const headers: Record<string, string> = kind === 'update' ? { 'accept-patch': types.join(', ') } : {};
    throw new HttpProblem('unsupported-media-type', `send ${types.join(' or ')}; ${got}`, { headers });
  }
  const encoding = request.headers['content-encoding'];
  if (encoding !== undefined && String(encoding).toLowerCase() !== 'identity') {
    const detail = `send the body as it is, without Content-Encoding; got ${String(encoding)}`;
    throw new HttpProblem('unsupported-media-type', detail, { headers: { 'accept-encoding': 'identity' } });
  }
  if (request.body === undefined) throw new HttpProblem('malformed-request', 'the body is empty; send a JSON object');
  return readJson(request.body);
}
