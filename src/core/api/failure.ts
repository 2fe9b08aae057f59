/** One rule that one member of a body breaks. */
export interface Failure {
  /** RFC 6901. */
  readonly pointer: string;
  /** The rule's name, JSON Schema's wherever it has one. */
  readonly rule: string;
  /** What is wrong, for a person: `must be 1 or more, got 0`. */
  readonly detail: string;
  /** What is left, where more was requested. */
  readonly available?: string;
}

/** The most failures in one answer; more are counted, but not looked for. */
export const MOST_FAILURES = 100;

export const pointerTo = (...path: readonly (string | number)[]): string =>
  path.map((step) => `/${String(step).replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');

/** A place as Yup names it (`points[0].ra`), as a JSON Pointer. Members' names hold neither dots nor brackets. */
export const pointerOfPath = (path: string): string =>
  path === '' ? '' : pointerTo(...path.replaceAll('[', '.').replaceAll(']', '').split('.'));
