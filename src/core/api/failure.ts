import type { FieldValue, Scalar } from '../model/scalar.ts';

/** The rules that a failure repeats with what they ask for, so that texts of clients can say it: `"minimum": 1`. */
export interface RuleParameters {
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
  readonly enum?: readonly Scalar[];
  readonly const?: FieldValue;
}

/** One rule that one member of a body breaks. */
export interface Failure extends RuleParameters {
  /** RFC 6901. */
  readonly pointer: string;
  /** The rule's name, JSON Schema's wherever it has one. */
  readonly rule: string;
  /** What is wrong, for a person: `must be 1 or more, got 0`. */
  readonly detail: string;
  /** What is left, where more was requested. */
  readonly available?: number;
}

/** The most failures in one answer; more are counted, but not looked for. */
export const MOST_FAILURES = 100;

export const pointerTo = (...path: readonly (string | number)[]): string =>
  path.map((step) => `/${String(step).replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');

/** A step of a JSON Pointer as the name that it stands for. */
export const stepFrom = (token: string): string => token.replaceAll('~1', '/').replaceAll('~0', '~');

/** The steps of a JSON Pointer, as names of members and positions. */
export const stepsOf = (pointer: string): string[] => pointer.split('/').slice(1).map(stepFrom);

/** A place as Yup names it (`points[0].ra`), as a JSON Pointer. Members' names hold neither dots nor brackets. */
export const pointerOfPath = (path: string): string =>
  path === '' ? '' : pointerTo(...path.replaceAll('[', '.').replaceAll(']', '').split('.'));
