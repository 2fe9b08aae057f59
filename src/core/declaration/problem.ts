import type { ProblemCode } from './problem-codes.ts';

/** A place in a declaration. Lines and columns count from 1; the end is exclusive. */
export interface Place {
  readonly file: string;
  readonly line: number;
  readonly column: number;
  readonly endLine: number;
  readonly endColumn: number;
}

/** Something wrong in a declaration: errors stop the tool, warnings do not. */
export interface Problem<Code extends string = ProblemCode> {
  /** A stable name in plain words (`unknown-field`); for a row of samples, also the name of a broken rule. */
  readonly code: Code;
  readonly severity: 'error' | 'warning';
  readonly message: string;
  /** What to do about it. */
  readonly remedy: string;
  readonly place: Place;
}

/** The order of problems: by file, then from top to bottom. */
export function byPlace(one: Problem<string>, other: Problem<string>): number {
  const [a, b] = [one.place, other.place];
  if (a.file !== b.file) return a.file < b.file ? -1 : 1;
  return a.line - b.line || a.column - b.column || (one.code < other.code ? -1 : 1);
}

export const isError = (problem: Problem<string>): boolean => problem.severity === 'error';
