import { MOST_EXPONENT, MOST_INTEGER, MOST_UNITS, POWER_BOUNDS } from '../../core/expression/numbers.ts';
import type { Aggregate, ValueKind } from '../../core/model/expression.ts';
import { formatDecimal } from '../../core/text/decimal.ts';

// Whole numbers and decimals where the database itself can't overflow: what lies beyond their bounds is null.

/** The first whole number that is beyond. */
export const integerBound = String(MOST_INTEGER + 1);

/** The first number of a kind that is beyond. */
export const boundOf = ({ kind, scale }: ValueKind): string =>
  kind === 'integer' ? integerBound : formatDecimal({ digits: MOST_UNITS + 1n, scale });

/** Null at and beyond ±beyond: cut to it, and that is null. */
export const within = (of: string, beyond: string): string =>
  `nullif(nullif(greatest(least(${of}, ${beyond}), -${beyond}), ${beyond}), -${beyond})`;

/** An aggregate over a column; null over no rows. */
export function aggregateSql(op: Aggregate, column: string, result: ValueKind): string {
  if (op === 'min' || op === 'max' || result.kind === 'number') return `${op}(${column})`;
  return within(`sum(${column})`, boundOf(result));
}

/** `power` of two doubles that are called `a` and `b`; null beyond what a double holds, and where there is none. */
export const powerSql = (power: string): string =>
  `CASE WHEN a IS NULL OR b IS NULL OR abs(b) > ${MOST_EXPONENT} THEN NULL` +
  ` WHEN a = 0 THEN CASE WHEN b < 0 THEN NULL WHEN b = 0 THEN 1e0 ELSE 0e0 END` +
  ` WHEN a < 0 AND b <> floor(b) THEN NULL` +
  ` WHEN b * ln(abs(a)) > ${POWER_BOUNDS.most} THEN NULL WHEN b * ln(abs(a)) < ${POWER_BOUNDS.least} THEN 0e0` +
  ` ELSE ${power} END`;
