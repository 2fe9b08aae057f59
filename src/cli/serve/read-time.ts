import { EXIT, Failure } from '../../project/failure.ts';

const LONGEST_MS = 60_000;

/** The milliseconds of an option like `800ms` or `2s`, up to a minute. */
export function readTime(option: string, text: string): number {
  const [, count, unit] = /^(\d+(?:\.\d+)?)(ms|s)$/.exec(text) ?? [];
  const milliseconds = count === undefined ? NaN : Number(count) * (unit === 's' ? 1000 : 1);
  if (milliseconds > 0 && milliseconds <= LONGEST_MS) return milliseconds;
  throw new Failure(EXIT.wrongCommand, `${option} can not be ${text}`, 'write a time up to a minute, like 800ms or 2s');
}
