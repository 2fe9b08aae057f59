import { conversionOf } from './conversion.ts';
import { insideChanges } from './inside.ts';
import type { Check, Column, LimitRule } from './table.ts';

/** Limits that let more pass the smaller they are. */
const LEAST: readonly LimitRule[] = ['minLength', 'minimum', 'exclusiveMinimum'];

/** Whether all that one check lets pass is let pass by another of the same rule. */
function impliesCheck(one: Check, other: Check): boolean {
  if (one.rule === 'enum' || other.rule === 'enum') {
    return one.rule === 'enum' && other.rule === 'enum' && one.values.every((value) => other.values.includes(value));
  }
  if (one.rule !== other.rule) return false;
  if (one.rule === 'multipleOf') return Number.isInteger(one.limit / other.limit);
  return LEAST.includes(one.rule) ? other.limit <= one.limit : other.limit >= one.limit;
}

/** Whether every value that passes the one list of checks passes the other. */
export const areLooser = (checks: readonly Check[], than: readonly Check[]): boolean =>
  checks.every((check) => than.some((other) => impliesCheck(other, check)));

/** Checks that every value passes which passes either list. */
export function checksOfEither(one: readonly Check[], other: readonly Check[]): Check[] {
  return one.flatMap((check): Check[] => {
    const twin = other.find(({ rule }) => rule === check.rule);
    if (twin === undefined) return [];
    if (impliesCheck(twin, check)) return [check];
    if (impliesCheck(check, twin)) return [twin];
    if (check.rule !== 'enum' || twin.rule !== 'enum') return [];
    return [{ rule: 'enum', values: [...new Set([...check.values, ...twin.values])] }];
  });
}

/** The form of a column that was found; one of them is but another order of letters. */
const formOf = ({ found }: Column): string | undefined => (found?.form === 'text' ? undefined : found?.form);

/** Whether a column keeps values of another one as that does, so that nobody who reads or writes them notices. */
export function isSameKind(one: Column, other: Column): boolean {
  if (formOf(one) !== formOf(other)) return false;
  if (one.type === other.type) return one.scale === other.scale && one.serial === other.serial;
  return conversionOf(one, other) === 'same' && conversionOf(other, one) === 'same';
}

/** Whether values of the one form are values of the other: it has more members that may be left out, and no less. */
export const isWider = (column: Column, than: Column): boolean =>
  insideChanges(than.shape, column.shape).every(
    ({ kind, after }) => kind === 'new' && !(after !== undefined && 'required' in after && after.required),
  );

/** Whether those who know a column as it was can go on with what it becomes. */
export const takesOldWriters = (column: Column, was: Column): boolean =>
  column.name === was.name &&
  column.member === was.member &&
  isSameKind(column, was) &&
  (column.nullable || !was.nullable) &&
  (was.usual === undefined || column.usual !== undefined) &&
  areLooser(column.checks, was.checks) &&
  isWider(column, was);
