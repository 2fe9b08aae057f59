import type { Forms } from '../../core/sql/form.ts';
import type { Check, Column, Fill } from '../../core/tables/table.ts';
import { asFound, readFound } from './found.ts';

/** How values of a column become those of another type, in SQL. */
export interface Converted {
  /** The new value, where the old one fits. */
  readonly value: string;
  /** Whether the old value says exactly the same in the new type; undefined where every value does. */
  readonly fits?: string | undefined;
}

/** What databases spell differently when the values of a column become others. */
export interface ConversionSpelling {
  /** The forms of columns that were found. */
  readonly forms: Forms;
  /** `x` is an expression of the old type that is not null. */
  converted(from: Column, to: Column, x: string): Converted;
  /** A condition on `x`, a value of the column. */
  check(column: Column, check: Check, x: string): string;
  /** A value as a text, as the service shows it. */
  text(column: Column, x: string): string;
  fill(column: Column, fill: Fill): string;
  /** A value of the type that can't be worked out: it stops the statement, and says that `x` does not fit. */
  failure(to: Column, x: string): string;
}

/*
 * What a change does to values, and which rows are in danger by it, is worked out from the same conditions: what is
 * counted is what happens.
 */

/** How values go over between forms that are the tool's own: those of columns that were found are read as such. */
function goesOver(from: Column, to: Column, x: string, spell: ConversionSpelling): Converted {
  if (from.found === undefined && to.found === undefined) return spell.converted(from, to, x);
  const [own, becomes] = [from, to].map((column) => ({ ...column, found: undefined })) as [Column, Column];
  return spell.converted(own, becomes, readFound(from, x, spell.forms));
}

/** A value as a text, as the service shows it. */
export const textOf = (column: Column, x: string, spell: ConversionSpelling): string =>
  spell.text(column, readFound(column, x, spell.forms));

/**
 * The SQL of what a value becomes. One that can not stay becomes the fill, and so does null where there must be a
 * value; without a fill it stops the statement, or becomes what `failure` says.
 */
export function newValue(
  from: Column,
  to: Column,
  x: string,
  given: Fill | undefined,
  spell: ConversionSpelling,
  failure: string = spell.failure(to, x),
): string {
  const isAsFound = from.found !== undefined && from.found.type === to.found?.type;
  if (isAsFound && given === undefined) return x;
  const { value: own, fits } = goesOver(from, to, x, spell);
  const value = isAsFound ? x : asFound(to, own, spell.forms);
  const fill = given === undefined ? undefined : spell.fill(to, given);
  // Without a fill, the table's own rules refuse what breaks them.
  const kept = fill === undefined ? [] : to.checks.map((rule) => spell.check(to, rule, own));
  const cases = [
    `WHEN ${x} IS NULL THEN ${fill === undefined || to.nullable ? 'NULL' : fill}`,
    ...(fits === undefined ? [] : [`WHEN (${fits}) IS NOT TRUE THEN ${fill ?? failure}`]),
    ...(kept.length === 0 ? [] : [`WHEN NOT (${kept.join(' AND ')}) THEN ${fill}`]),
  ];
  if (cases.length === 1 && value === x && (fill === undefined || to.nullable)) return x;
  return `CASE ${cases.join(' ')} ELSE ${value} END`;
}

/** That a value is there and does not say the same in the new type. */
export function unfitSql(from: Column, to: Column, x: string, spell: ConversionSpelling): string {
  const { fits } = goesOver(from, to, x, spell);
  return fits === undefined ? 'FALSE' : `${x} IS NOT NULL AND (${fits}) IS NOT TRUE`;
}

/** That a value goes over, and then breaks a rule. */
export function brokenSql(
  from: Column,
  to: Column,
  checks: readonly Check[],
  x: string,
  spell: ConversionSpelling,
): string {
  const { value, fits } = goesOver(from, to, x, spell);
  const broken = `NOT (${checks.map((rule) => spell.check(to, rule, value)).join(' AND ')})`;
  const unfit = fits === undefined ? '' : ` WHEN (${fits}) IS NOT TRUE THEN FALSE`;
  return `CASE WHEN ${x} IS NULL THEN FALSE${unfit} ELSE ${broken} END`;
}
