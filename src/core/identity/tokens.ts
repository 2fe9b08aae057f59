import { createHash } from 'node:crypto';
import { errors, jwtVerify, SignJWT } from 'jose';
import type { JWTPayload, JWTVerifyGetKey } from 'jose';
import { LRUCache } from 'lru-cache';

/** What a token of this service says. */
export interface TokenClaims {
  /** The key of the caller's record, as text. */
  readonly subject: string;
  /** The mark of the caller's credentials. */
  readonly mark: string;
  /** The session that it belongs to; undefined for a token without one. */
  readonly session?: string | undefined;
}

/** What one says that was read, with its end in seconds since 1970, UTC. */
export interface ReadClaims extends TokenClaims {
  readonly expires: number;
}

/** What a refresh token says: the session that it goes on with, and which of its tokens it is. */
export interface RefreshClaims extends TokenClaims {
  readonly session: string;
  readonly generation: number;
}

/** Makes and reads the service's own tokens: JSON Web Tokens (RFC 7519), signed with HMAC and SHA-256. */
export interface Tokens {
  /** Valid for `lifetime` seconds from `now` on, for the database `audience` only. */
  write(claims: TokenClaims, audience: string, now: Date, lifetime: number): Promise<string>;
  /** Undefined for an invalid or expired token, or one of another service or database. */
  read(token: string, audience: string, now: Date): Promise<ReadClaims | undefined>;
  /** The same for refresh tokens, which are good for nothing else. */
  writeRefresh(claims: RefreshClaims, audience: string, now: Date, lifetime: number): Promise<string>;
  readRefresh(token: string, audience: string, now: Date): Promise<RefreshClaims | undefined>;
}

const MOST_KEPT = 10_000;
const ALGORITHM = 'HS256';
/** The types of tokens, in their headers (RFC 7515, 4.1.9). */
const TYPES = { access: 'JWT', refresh: 'refresh+jwt' } as const;

/**
 * Signs with the first key, and accepts tokens of all keys, so a key can be changed while older tokens are valid.
 */
export function makeTokens(keys: readonly string[]): Tokens {
  const secrets = new Map(keys.map((key) => [keyName(key), new TextEncoder().encode(key)]));
  const [current] = [...secrets.keys()];
  // A signature is checked once; the expiry each time.
  const known = new LRUCache<string, JWTPayload>({ max: MOST_KEPT });

  const signed = (
    type: keyof typeof TYPES,
    payload: JWTPayload,
    subject: string,
    audience: string,
    now: Date,
    lifetime: number,
  ): Promise<string> =>
    new SignJWT(payload)
      .setProtectedHeader({ alg: ALGORITHM, typ: TYPES[type], kid: current })
      .setSubject(subject)
      .setAudience(audience)
      .setIssuedAt(seconds(now))
      .setExpirationTime(seconds(now) + lifetime)
      .sign(secrets.get(current!)!);

  return {
    write: ({ subject, mark, session }, audience, now, lifetime) =>
      signed('access', { mark, ...(session === undefined ? {} : { sid: session }) }, subject, audience, now, lifetime),

    async read(token, audience, now) {
      let payload = known.get(token);
      if (payload === undefined) {
        payload = await verified(token, secrets, now, 'access');
        if (payload === undefined) return undefined;
        known.set(token, payload);
      }
      return claimsIn(payload, audience, now);
    },

    writeRefresh: ({ subject, mark, session, generation }, audience, now, lifetime) =>
      signed('refresh', { mark, sid: session, generation }, subject, audience, now, lifetime),

    async readRefresh(token, audience, now) {
      const payload = await verified(token, secrets, now, 'refresh');
      const claims = payload && claimsIn(payload, audience, now);
      const generation = payload?.generation;
      if (claims?.session === undefined || !Number.isSafeInteger(generation)) return undefined;
      return { ...claims, session: claims.session, generation: generation as number };
    },
  };
}

function claimsIn({ sub, mark, sid, aud, exp }: JWTPayload, audience: string, now: Date): ReadClaims | undefined {
  if (aud !== audience || exp === undefined || exp <= seconds(now)) return undefined;
  if (typeof sub !== 'string' || typeof mark !== 'string') return undefined;
  return { subject: sub, mark, session: typeof sid === 'string' ? sid : undefined, expires: exp };
}

async function verified(
  token: string,
  secrets: ReadonlyMap<string, Uint8Array>,
  now: Date,
  type: keyof typeof TYPES,
): Promise<JWTPayload | undefined> {
  try {
    const { payload } = await jwtVerify(
      token,
      ({ kid }) => {
        const secret = secrets.get(kid ?? '');
        if (secret === undefined) throw new errors.JWSInvalid('no such key');
        return secret;
      },
      { algorithms: [ALGORITHM], typ: TYPES[type], currentDate: now, requiredClaims: ['sub', 'aud', 'exp', 'mark'] },
    );
    return payload;
  } catch (error) {
    if (error instanceof errors.JOSEError) return undefined;
    throw error;
  }
}

/** Names a key without revealing it. */
const keyName = (key: string): string =>
  createHash('sha256').update(`vantfell token key ${key}`).digest('hex').slice(0, 16);

export const seconds = (time: Date): number => Math.floor(time.getTime() / 1000);

/** What a token of an outside issuer says. */
export type OutsideClaims = JWTPayload & { readonly sub: string };

/** Reads tokens of an outside issuer; undefined for an invalid or expired token, or one for another service. */
export type OutsideTokens = (token: string, now: Date) => Promise<OutsideClaims | undefined>;

/** Their keys are public: they cannot make tokens. */
const ASYMMETRIC = [
  'RS256',
  'RS384',
  'RS512',
  'PS256',
  'PS384',
  'PS512',
  'ES256',
  'ES384',
  'ES512',
  'EdDSA',
  'Ed25519',
];

export function makeOutsideTokens(issuer: string, audience: string, keys: JWTVerifyGetKey): OutsideTokens {
  return async (token, now) => {
    try {
      const { payload } = await jwtVerify(token, keys, {
        algorithms: ASYMMETRIC,
        issuer,
        audience,
        currentDate: now,
        requiredClaims: ['iss', 'aud', 'exp', 'sub'],
      });
      return typeof payload.sub === 'string' && payload.sub !== '' ? (payload as OutsideClaims) : undefined;
    } catch (error) {
      // Unavailable keys are not the token's fault.
      if (error instanceof errors.JOSEError && !(error instanceof errors.JWKSTimeout)) return undefined;
      throw error;
    }
  };
}
