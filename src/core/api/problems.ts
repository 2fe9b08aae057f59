import { MOST_FAILURES } from './failure.ts';
import type { Failure } from './failure.ts';

/** Every problem that a service may answer with (RFC 9457): the last segment of its `type`, and what it means. */
export const problemTypes = {
  'malformed-request': {
    status: 400,
    title: 'The request can not be read',
    about: 'The path, the query or the body is not written as HTTP and JSON want it. Nothing was changed.',
  },
  'invalid-parameter': {
    status: 400,
    title: 'A query parameter is wrong',
    about: 'A parameter is unknown to this endpoint, or its value can not be used. `errors` names each one.',
  },
  'sign-in-required': {
    status: 401,
    title: 'Somebody has to sign in for this',
    about:
      'Nobody may do this without signing in, or nobody may know whether there is such a record. ' +
      'POST /tokens gives a token, which goes into the header Authorization.',
  },
  'invalid-token': {
    status: 401,
    title: 'The token is not good, or not any more',
    about:
      'It is not one of this service, its time is over, or it was ended by a new secret or on request. Sign in again.',
  },
  'wrong-credentials': {
    status: 401,
    title: 'Nobody has this name and this secret',
    about: 'Whether there is somebody of this name is not told.',
  },
  'not-allowed': {
    status: 403,
    title: 'You may not do this',
    about:
      'The record may be known, but this is not for you to do with it; or ' +
      'only some roles may do it at all. Nothing was changed.',
  },
  'not-found': {
    status: 404,
    title: 'There is no such record',
    about: 'No record has this key, it has been deleted, or it is not for you to know of.',
  },
  'unknown-path': {
    status: 404,
    title: 'There is nothing at this path',
    about: 'No endpoint answers at this path. `detail` names the nearest that do.',
  },
  'method-not-allowed': {
    status: 405,
    title: 'This path does not take that method',
    about: 'The header Allow lists the methods that it takes.',
  },
  'not-acceptable': {
    status: 406,
    title: 'The answer can not be given in that form',
    about: 'The service answers in application/json; the header Accept of the request rules it out.',
  },
  taken: {
    status: 409,
    title: 'A value is taken',
    about: 'Another record has a value that must be unique. Nothing was changed.',
  },
  'not-enough-left': {
    status: 409,
    title: 'Not enough is left',
    about:
      'The record would take more from a stock than there is; `errors` tells what is available. Nothing was changed.',
  },
  'too-many-at-once': {
    status: 409,
    title: 'Too many records would change at once',
    about:
      'A delete may take as many records along as `limits.cascade` says. ' +
      'Delete them in smaller parts. Nothing was changed.',
  },
  'still-running': {
    status: 409,
    title: 'The same request is still being answered',
    about: 'A request with this Idempotency-Key is under way. Send it again a moment later.',
  },
  'test-failed': {
    status: 409,
    title: 'A test of the patch does not hold',
    about: 'The value at the path of a `test` is another one. Nothing was changed.',
  },
  'still-referred-to': {
    status: 409,
    title: 'Other records still refer to this one',
    about: 'The record can not be deleted while others need it. Nothing was changed.',
  },
  'moved-on': {
    status: 412,
    title: 'The record has changed since it was read',
    about:
      'The header If-Match names another state of the record, or the body repeats a value ' +
      'that has changed meanwhile. Read the record again. Nothing was changed.',
  },
  'url-too-long': {
    status: 414,
    title: 'The URL is too long',
    about: 'Paths and queries may have 8000 bytes.',
  },
  'too-large': {
    status: 413,
    title: 'The body is too large',
    about: 'The body has more bytes than `limits.body` allows. Nothing was changed.',
  },
  'unsupported-media-type': {
    status: 415,
    title: 'The body has a media type that is not read here',
    about: '`detail` names the media types that this endpoint reads. Nothing was changed.',
  },
  'invalid-body': {
    status: 422,
    title: 'The record breaks a rule',
    about: 'The body is JSON, but breaks rules of the model. `errors` names each one. Nothing was changed.',
  },
  'other-request': {
    status: 422,
    title: 'The Idempotency-Key belongs to another request',
    about: 'A request with this key and another body was answered before. Take a new key for a new request.',
  },
  refused: {
    status: 422,
    title: 'The service refuses this',
    about:
      'A rule of the service itself does not allow it; `detail` says why. ' +
      'Its status may be another one. Nothing was changed.',
  },
  'condition-required': {
    status: 428,
    title: 'The request must say which state of the record it is about',
    about:
      'Writes of this model carry the header If-Match, with the ETag of ' +
      'the record as it was read. Nothing was changed.',
  },
  'too-many-requests': {
    status: 429,
    title: 'Too many requests',
    about: 'Try again after the time in the header Retry-After; `limits.rate` and `limits.sign-in` are the limits.',
  },
  'inner-defect': {
    status: 500,
    title: 'Something went wrong inside the service',
    about: 'This is a defect of the service. Its log tells more, under the number in `request`.',
  },
  'time-ran-out': {
    status: 503,
    title: 'The answer took too long',
    about:
      'Ask for less, or filter and sort by fields that have an index; `limits.read` ' +
      'and `limits.transaction` are the limits. Nothing was changed.',
  },
  'too-busy': {
    status: 503,
    title: 'Too many writers wait',
    about: 'Try again after the time in the header Retry-After; `limits.queue` is the limit. Nothing was changed.',
  },
  stopping: {
    status: 503,
    title: 'The service is stopping',
    about:
      'It takes no new requests any more. Try again after the time in the header Retry-After. Nothing was changed.',
  },
  'outcome-unknown': {
    status: 503,
    title: 'Whether the write was kept is not known',
    about:
      'The connection to the database was lost at the very end. Read before you repeat the write, or ' +
      'repeat it with its Idempotency-Key.',
  },
  'store-unavailable': {
    status: 503,
    title: 'The database can not be reached',
    about: 'Try again after the time in the header Retry-After. Nothing was changed.',
  },
} as const satisfies Record<string, { status: number; title: string; about: string }>;

export type ProblemName = keyof typeof problemTypes;

export interface ProblemOptions {
  readonly title?: string;
  /** Another status than the problem's own. */
  readonly status?: number;
  readonly errors?: readonly (Failure | ParameterFailure)[];
  readonly headers?: Readonly<Record<string, string>>;
}

export interface ParameterFailure {
  readonly parameter: string;
  readonly detail: string;
}

/** Thrown where a request cannot be answered as requested; the service turns it into an answer. */
export class HttpProblem extends Error {
  readonly problem: ProblemName;
  readonly options: ProblemOptions;

  constructor(problem: ProblemName, detail?: string, options: ProblemOptions = {}) {
    super(detail);
    this.name = 'HttpProblem';
    this.problem = problem;
    this.options = options;
  }
}

/** The header of an answer that may differ in a moment. */
export const LATER = { 'retry-after': '1' } as const;

/** `a rule`, `3 rules`, `more than 100 rules`. */
export function countedRules({ length }: readonly Failure[]): string {
  if (length > MOST_FAILURES) return `more than ${MOST_FAILURES} rules`;
  return length === 1 ? 'a rule' : `${length} rules`;
}

/** 422 with every failure, and their number in the title. */
export function brokenRules(failures: readonly Failure[], begins = 'The record breaks'): HttpProblem {
  const title = `${begins} ${countedRules(failures)}`;
  const errors = failures.slice(0, MOST_FAILURES);
  const detail = errors.length < failures.length ? `the first ${MOST_FAILURES} are told; there are more` : undefined;
  return new HttpProblem('invalid-body', detail, { title, errors });
}

/** The most mistakes in one answer: it need not be longer than the query. */
export const MOST_TOLD = 20;

/** Throws a 400 with the mistakes of a query, if there are any. */
export function refuseParameters(failures: readonly ParameterFailure[]): void {
  if (failures.length === 0) return;
  const more = failures.length - MOST_TOLD;
  const detail = more > 0 ? `the first ${MOST_TOLD} mistakes are told; there are more` : undefined;
  throw new HttpProblem('invalid-parameter', detail, { errors: failures.slice(0, MOST_TOLD) });
}

/** `largest` is in bytes. */
export const tooLarge = (largest: number): HttpProblem =>
  new HttpProblem('too-large', `a body may have ${largest} bytes at most`);
