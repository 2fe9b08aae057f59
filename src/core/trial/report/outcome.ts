import type { Answer, Fault } from '../answer.ts';
import type { Case, Skipped } from '../case.ts';

/** A request as it was sent, so that it can be sent again by hand. */
export interface Sent {
  readonly method: string;
  readonly path: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body?: unknown;
  /** Who asked; undefined for somebody who may do everything. */
  readonly as?: string | undefined;
}

/** What went wrong. */
export interface Failure {
  readonly sent: Sent;
  readonly answer: Answer;
  readonly faults: readonly Fault[];
  /** The requests before it that it takes to see this. */
  readonly before?: readonly Sent[];
}

/** What came of a case. */
export interface Outcome {
  readonly case: Case;
  readonly milliseconds: number;
  /** The first step that went wrong; undefined where all is well. */
  readonly failure?: Failure;
  /** What stood in the way, where all was well but the case could not be tried. */
  readonly notEstablished?: string;
  /** The statuses that came back, of what was asked for, and by whom. */
  readonly answered: readonly Answered[];
}

export interface Answered {
  readonly method: string;
  readonly path: string;
  readonly status: number;
  readonly as?: string | undefined;
}

/** What came of all cases. */
export interface TrialResult {
  readonly service: string;
  readonly outcomes: readonly Outcome[];
  readonly skipped: readonly Skipped[];
  readonly milliseconds: number;
  /** Undefined where only some cases were chosen, which says nothing of the others. */
  readonly coverage?: Coverage;
}

/** Of all that a service has, how much cases have met, and what they have not. */
export type Coverage = Readonly<Record<'endpoints' | 'statuses' | 'rules' | 'grants', Covered>>;

export interface Covered {
  readonly all: number;
  readonly missing: readonly string[];
}

/** Cases that could not be tried. */
export const notEstablishedOf = (outcomes: readonly Outcome[]): Outcome[] =>
  outcomes.filter(({ notEstablished }) => notEstablished !== undefined);

export const failedOf = (outcomes: readonly Outcome[]): Outcome[] =>
  outcomes.filter(({ failure }) => failure !== undefined);

/** A request as a POSIX shell sends it to a service at an address. */
export function curlOf({ method, path, headers, body, as }: Sent, url: string): string {
  const who = as === undefined || as === 'nobody' ? [] : [` -H "Authorization: Bearer $(vantfell token ${as})"`];
  const given = Object.entries(headers).map(([name, value]) => ` -H ${quoted(`${name}: ${value}`)}`);
  const sent = body === undefined ? '' : ` -d ${quoted(JSON.stringify(body))}`;
  return `curl -X ${method} ${quoted(url + path)}${given.join('')}${who.join('')}${sent}`;
}

/** What a table of cases has columns for, in their order. */
export const COLUMNS = [
  'list',
  'read',
  'create',
  'replace',
  'update',
  'delete',
  'clear',
  'operation',
  'journal',
  'sign-in',
] as const;

const quoted = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;
