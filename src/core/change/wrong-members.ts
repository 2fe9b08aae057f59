import { stepsOf } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';

/** What is said of a record as a whole, or of a value that is a good one by itself. */
const ACROSS: ReadonlySet<string> = new Set(['check', 'unique']);

/** The members of which something is wrong by themselves: their values must go no further. */
export const wrongMembers = (failures: readonly Failure[]): string[] =>
  failures.filter(({ rule }) => !ACROSS.has(rule)).map(({ pointer }) => stepsOf(pointer)[0] ?? '');
