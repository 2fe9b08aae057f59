import type { Reply, Request } from '../api/message.ts';
import type { CorsSettings } from '../model/service.ts';

/** What pages of other origins may request, and read in the answers (WHATWG Fetch, 3.2). */
export interface Cors {
  /** The answer to a preflight request; undefined where no origins are declared. `allow` are its path's methods. */
  preflight(request: Request, allow: string): Reply | undefined;
  /** Headers for the answer to any request. */
  headersFor(request: Pick<Request, 'headers'>): Readonly<Record<string, string>>;
}

const EXPOSED =
  'ETag, Link, Location, Retry-After, WWW-Authenticate, Preference-Applied, Accept-Patch, Allow, Consistency-Token';
const TAKEN =
  'Authorization, Content-Type, If-Match, If-None-Match, Idempotency-Key, Prefer, Traceparent, Consistency-Token';
const VARY = { vary: 'Origin' };

/** Whether a browser asks what it may request of this service (WHATWG Fetch, 3.2.2). */
export const isPreflight = ({ method, headers }: Request): boolean =>
  method === 'OPTIONS' && headers.origin !== undefined && headers['access-control-request-method'] !== undefined;

/** Nothing where no origins are declared: then browsers keep pages of other origins out. */
export function makeCors({ origins, credentials, headers, expose, maxAge }: CorsSettings): Cors {
  if (origins.length === 0) return { preflight: () => undefined, headersFor: () => ({}) };
  const all = origins.includes('*');
  const isKnown = originMatcher(origins);
  const taken = [TAKEN, ...headers].join(', ');
  const read: Record<string, string> = {
    'access-control-expose-headers': [EXPOSED, ...expose].join(', '),
    ...(credentials ? { 'access-control-allow-credentials': 'true' } : {}),
  };
  const allowed = ({ headers: { origin } }: Pick<Request, 'headers'>): string | undefined => {
    if (all) return '*';
    return typeof origin === 'string' && isKnown(origin.toLowerCase()) ? origin : undefined;
  };

  return {
    preflight(request, allow) {
      const granted: Record<string, string> =
        allowed(request) === undefined
          ? {}
          : {
              'access-control-allow-methods': withRequested(allow, request),
              'access-control-allow-headers': taken,
              'access-control-max-age': String(maxAge),
            };
      return { status: 204, headers: { allow, ...granted } };
    },
    headersFor(request) {
      const origin = allowed(request);
      if (origin === undefined) return VARY;
      const shared = { 'access-control-allow-origin': origin, ...read };
      return all ? shared : { ...VARY, ...shared };
    },
  };
}

/** The methods of a path, and the one that is asked for: only so can a page read the 404 or 405 that it gets for it. */
function withRequested(allow: string, { headers }: Request): string {
  const method = String(headers['access-control-request-method']);
  return /^[A-Za-z]{1,20}$/.test(method) && !allow.split(', ').includes(method) ? `${allow}, ${method}` : allow;
}

/** `https://*.huts.example` stands for all subdomains, `http://localhost:*` for all ports. */
function originMatcher(origins: readonly string[]): (origin: string) => boolean {
  const lower = origins.map((origin) => origin.toLowerCase());
  const exact = new Set(lower.filter((origin) => !origin.includes('*')));
  const patterns = lower
    .filter((origin) => origin.includes('*'))
    .map((origin) => {
      const escaped = origin.replaceAll(/[.[\]]/g, '\\$&');
      const text = escaped.replace('//*\\.', '//([a-z0-9-]+\\.)+').replace(/:\*$/, '(:\\d{1,5})?');
      return new RegExp(`^${text}$`);
    });
  return (origin) => exact.has(origin) || (origin.length < 300 && patterns.some((pattern) => pattern.test(origin)));
}
