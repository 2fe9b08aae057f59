import type { Reply, Request } from '../api/message.ts';

/** What pages of other origins may request, and read in the answers (WHATWG Fetch, 3.2). */
export interface Cors {
  /** The answer to a preflight request; undefined for other requests. */
  preflight(request: Request, allow: string): Reply | undefined;
  /** Headers for the answer to any request. */
  headersFor(request: Request): Readonly<Record<string, string>>;
}

const EXPOSED = 'ETag, Link, Location, Retry-After, WWW-Authenticate, Preference-Applied, Accept-Patch, Allow';
const TAKEN = 'Authorization, Content-Type, If-Match, If-None-Match, Idempotency-Key, Prefer, Traceparent';
const ASKED_AGAIN_S = '600';
const VARY = { vary: 'Origin' };

/** Nothing where no origins are declared: then browsers keep pages of other origins out. */
export function makeCors(origins: readonly string[]): Cors {
  if (origins.length === 0) return { preflight: () => undefined, headersFor: () => ({}) };
  const all = origins.includes('*');
  const known = new Set(origins.map((origin) => origin.toLowerCase()));
  const allowed = ({ headers: { origin } }: Request): string | undefined => {
    if (all) return '*';
    return typeof origin === 'string' && known.has(origin.toLowerCase()) ? origin : undefined;
  };

  return {
    preflight(request, allow) {
      if (request.headers.origin === undefined || request.headers['access-control-request-method'] === undefined) {
        return undefined;
      }
      const origin = allowed(request);
      const granted: Record<string, string> =
        origin === undefined
          ? {}
          : {
              'access-control-allow-methods': allow,
              'access-control-allow-headers': TAKEN,
              'access-control-max-age': ASKED_AGAIN_S,
            };
      return { status: 204, headers: { allow, ...granted } };
    },
    headersFor(request) {
      const origin = allowed(request);
      if (origin === undefined) return VARY;
      const shared = { 'access-control-allow-origin': origin, 'access-control-expose-headers': EXPOSED };
      return all ? shared : { ...VARY, ...shared };
    },
  };
}
