import { stepsOf } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import type { Values } from '../rules/schema.ts';

/** What is said of a record as a whole, or of a value that is a good one by itself. */
const ACROSS: ReadonlySet<string> = new Set(['check', 'unique']);

/** The members of which something is wrong by themselves: their values must go no further. */
export const wrongMembers = (failures: readonly Failure[]): string[] =>
  failures.filter(({ rule }) => !ACROSS.has(rule)).map(({ pointer }) => stepsOf(pointer)[0] ?? '');

export const withoutMembers = (values: Values, members: ReadonlySet<string>): Values =>
  members.size === 0 ? values : Object.fromEntries(Object.entries(values).filter(([member]) => !members.has(member)));
