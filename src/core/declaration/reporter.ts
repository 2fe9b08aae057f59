import type { Declared, Path } from './declared.ts';
import type { ProblemCode } from './problem-codes.ts';
import type { Problem } from './problem.ts';

type Tell = (code: ProblemCode, message: string, remedy: string, path: Path, part?: 'key' | 'value') => void;

/** Collects what is wrong in one document, or below one place in it: paths go on from there. */
export interface Reporter {
  readonly error: Tell;
  readonly warn: Tell;
  /** Something wrong within a text: between two of its characters, the end exclusive. */
  errorIn(code: ProblemCode, message: string, remedy: string, path: Path, from: number, to: number): void;
  below(...path: Path): Reporter;
}

export function reporterOf(document: Declared, problems: Problem[], prefix: Path = []): Reporter {
  const tell =
    (severity: Problem['severity']): Tell =>
    (code, message, remedy, path, part = 'value') =>
      problems.push({ code, severity, message, remedy, place: document.at([...prefix, ...path], part) });
  return {
    error: tell('error'),
    warn: tell('warning'),
    errorIn: (code, message, remedy, path, from, to) => {
      const place = document.within([...prefix, ...path], from, to);
      problems.push({ code, severity: 'error', message, remedy, place });
    },
    below: (...path) => reporterOf(document, problems, [...prefix, ...path]),
  };
}
