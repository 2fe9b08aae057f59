import type { Problem } from './problem.ts';

/** How the service is reached. */
export interface ClientOptions {
  /** `https://huts.example`, without the prefix of its paths. */
  readonly url: string;
  /** A token, or what gives one before each request. After `session.signIn` the token that it brought is used. */
  readonly token?: string | (() => string | undefined | Promise<string | undefined>) | undefined;
  /** A refresh token that was kept; after `session.signIn` the one that it brought is used. */
  readonly refreshToken?: string | undefined;
  /** Told of each refresh token that comes: the one before is not good any more. */
  readonly onRefreshToken?: ((token: string) => void | Promise<void>) | undefined;
  /**
   * Called where a token is refused (401). If it gives true, having signed in or got another token, the request is sent
   * once more.
   */
  readonly onUnauthorized?: ((problem: Problem) => boolean | void | Promise<boolean | void>) | undefined;
  /** Another `fetch`; left out, that of the platform. */
  readonly fetch?: ((url: string, init: RequestInit) => Promise<Response>) | undefined;
  /** How often a request is sent again that got no answer; 2 if left out. */
  readonly retries?: number | undefined;
  /** Seconds for which a request waits altogether where the service says to try again later; 60 if left out. */
  readonly patience?: number | undefined;
  /** Headers of every request. */
  readonly headers?: Readonly<Record<string, string>> | undefined;
}

/** What every request takes. */
export interface RequestOptions {
  /** Ends the request; its promise is rejected with the signal's reason. */
  readonly signal?: AbortSignal | undefined;
  /** Headers of this request. */
  readonly headers?: Readonly<Record<string, string>> | undefined;
}

/** What a write of a record takes. */
export interface WriteOptions extends RequestOptions {
  /** A record as it was read or written, or its ETag: where it has changed since, a `Problem` of status 412. */
  readonly ifMatch?: object | string | undefined;
}

/** What a request takes that makes something. */
export interface MakeOptions extends RequestOptions {
  /** Sent again under the same key, it is done once. One is made up where requests are sent again. */
  readonly idempotencyKey?: string | undefined;
}
