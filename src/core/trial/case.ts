import type { EndpointName, Method } from '../api/endpoints.ts';
import type { Answer, Fault } from './answer.ts';

/** One thing that a service is tried for: requests in their order, each with what must come back. */
export interface Case {
  readonly model: string;
  readonly endpoint: EndpointName | 'sign-in' | 'scenario' | 'walk';
  /** For a person: `beds at its minimum, 1`. */
  readonly title: string;
  readonly steps: readonly Step[];
}

/** `{hut1}` in a path, and `{ kept: 'hut1' }` in a body, stand for what an earlier step kept. */
export interface Step {
  readonly method: Method;
  readonly path: string;
  readonly body?: Body;
  /** The header If-Match. */
  readonly ifMatch?: string | undefined;
  /** Other headers; `{etag1}` in their values stands for what was kept. */
  readonly headers?: Readonly<Record<string, string>>;
  /** The media type of the body, where it is another than usual. */
  readonly type?: string;
  /** Who asks: somebody of the samples by their handle, or `nobody`. Left out: somebody who may do everything. */
  readonly as?: string;
  /** Sent so many times at once; `expect.statuses` has the statuses, in any order. */
  readonly times?: number;
  /** Other requests that are sent at the same time; `expect.statuses` has all their statuses, in any order. */
  readonly together?: readonly Step[];
  /**
   * Goes on to the last page, and back again: `data` is then all records, and `back` the same as they came backwards.
   */
  readonly pages?: boolean;
  /**
   * Sent to the service with its limits, one after the other, until the expected status comes: not before so many were
   * let in.
   */
  readonly exhausts?: number;
  readonly expect: Expectation;
  /** Whether its body has a code that was sent: one that was kept as `codeFor` its address. */
  readonly takesCode?: boolean;
  /** What stands in the way of a request like this: the case is not sent, and told as not established. */
  readonly obstacle?: string;
  readonly keep?: Keeping | readonly Keeping[] | undefined;
}

/** What to keep of an answer: a name, and a JSON Pointer into the body; or a header. */
export type Keeping =
  { readonly name: string; readonly pointer: string } | { readonly name: string; readonly header: string };

export interface Kept {
  readonly kept: string;
}

/** The name that the last code to an address is kept by. */
export const codeFor = (address: string): string => `code for ${address}`;

export type Body = Readonly<Record<string, unknown>>;

export interface Expectation {
  readonly status: number;
  /** Any of these will do instead; of a request that is sent several times at once, the statuses of all. */
  readonly statuses?: readonly number[];
  /** What else must hold, with what was kept before; gives what does not. */
  check?(answer: Answer, kept: ReadonlyMap<string, unknown>): readonly Fault[];
  /** Members that `data` must have; other members are free. */
  readonly data?: Body | undefined;
  /** `data` is a list of so many records. */
  readonly length?: number;
  /** One of the problem's errors has this rule and this pointer. */
  readonly error?: { readonly rule: string; readonly pointer: string } | undefined;
  /** The path that Location must lead to, up to the key. */
  readonly location?: string;
}

/** A case that cannot be derived, and why. It is always reported. */
export interface Skipped {
  readonly model: string;
  readonly title: string;
  readonly why: string;
}

export const isKept = (value: unknown): value is Kept =>
  typeof value === 'object' && value !== null && 'kept' in value && Object.keys(value).length === 1;
