import type { ProblemKind } from './models.ts';

/** What is wrong with one place of a request. What a broken rule asks for stands beside it: `"minimum": 1`. */
export interface Fault {
  readonly pointer?: string;
  readonly parameter?: string;
  readonly rule?: string;
  readonly detail: string;
  /** What is left, where more was requested. */
  readonly available?: number;
  readonly minLength?: number;
  readonly maxLength?: number;
  readonly pattern?: string;
  readonly format?: string;
  readonly minimum?: number;
  readonly maximum?: number;
  readonly exclusiveMinimum?: number;
  readonly exclusiveMaximum?: number;
  readonly multipleOf?: number;
  readonly minItems?: number;
  readonly maxItems?: number;
  readonly enum?: readonly (string | number | boolean | null)[];
  readonly const?: unknown;
}

interface ProblemBody {
  readonly type?: string;
  readonly title?: string;
  readonly detail?: string;
  readonly errors?: readonly Fault[];
  readonly request?: string;
}

/** An answer of the service that is no success (RFC 9457). */
export class Problem extends Error {
  readonly status: number;
  /** `taken`, of the type `/problems/taken`; `unknown` where the answer is none of the service's own. */
  readonly kind: ProblemKind | 'unknown';
  readonly detail: string | undefined;
  readonly errors: readonly Fault[];
  /** The number under which the log of the service knows the request. */
  readonly request: string | undefined;
  /** Seconds after which it may go well. */
  readonly retryAfter: number | undefined;
  /** The key of the request. Send it again with this key if it may have been done all the same (503). */
  readonly idempotencyKey: string | undefined;

  constructor(
    status: number,
    body: Readonly<Record<string, unknown>>,
    retryAfter: number | undefined,
    idempotencyKey?: string,
  ) {
    const { type, title = `status ${status}`, detail, errors = [], request } = body as ProblemBody;
    const said = detail ?? errors[0]?.detail;
    super(said === undefined ? title : `${title}: ${said}`);
    this.name = 'Problem';
    this.status = status;
    this.kind = (type?.replace(/^.*\//, '') as ProblemKind | undefined) ?? 'unknown';
    this.detail = detail;
    this.errors = errors;
    this.request = request;
    this.retryAfter = retryAfter;
    this.idempotencyKey = idempotencyKey;
  }
}

/** No answer came, however often it was asked for: what was requested may have been done. */
export class NoAnswer extends Error {
  /** The key of the request: sent again with it, it is done once. */
  readonly idempotencyKey: string | undefined;
  /** What `fetch` failed with. */
  override readonly cause: unknown;

  constructor(cause: unknown, idempotencyKey: string | undefined) {
    super(`the service gave no answer: ${String(cause)}`);
    this.name = 'NoAnswer';
    this.cause = cause;
    this.idempotencyKey = idempotencyKey;
  }
}
