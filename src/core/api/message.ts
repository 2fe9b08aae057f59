/** Where a request stands in a trace (W3C Trace Context). */
export interface Trace {
  /** That of all that is done for one thing that somebody asked for, in whichever services: 32 hexadecimal digits. */
  readonly id: string;
  /** This service's part of it: 16 hexadecimal digits. */
  readonly span: string;
  /** The headers of requests that are sent on to other services. */
  readonly headers: Readonly<{ traceparent: string; tracestate?: string }>;
}

/** A request, as far as what is done for it has to know it. */
export interface Traced {
  /** Undefined where it came over no socket. */
  readonly trace?: Trace | undefined;
}

/** A request, without its socket. */
export interface Request extends Traced {
  readonly method: string;
  /** The path and the query, still percent-encoded. */
  readonly target: string;
  /** Names in lower case. */
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  /** The bytes of the body; undefined where there is none. */
  readonly body?: Uint8Array | undefined;
  /** The client's address, if it has one. */
  readonly client?: string | undefined;
  /** Aborted when the client disconnects before the answer. */
  readonly signal?: AbortSignal | undefined;
  /** What identifies a request with an Idempotency-Key. */
  readonly claim?: Claim;
}

/** Digests of the caller, the request and its key, and of the body. */
export interface Claim {
  readonly id: string;
  readonly body: string;
}

export interface Reply {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  /** Undefined where the answer has no body. */
  readonly body?: string | undefined;
  /** What is sent instead of the body's own bytes, where the headers name a coding of it. */
  readonly coded?: Uint8Array | undefined;
}

/** The headers of every answer. */
export const COMMON_HEADERS = {
  'x-content-type-options': 'nosniff',
  'content-security-policy': "default-src 'none'; frame-ancestors 'none'",
  'referrer-policy': 'no-referrer',
} as const;

export const JSON_HEADERS = Object.freeze({ 'content-type': 'application/json', ...COMMON_HEADERS });
