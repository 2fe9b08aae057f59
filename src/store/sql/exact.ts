import type { Column } from '../../core/tables/table.ts';

/*
 * Which values say exactly the same in another type, where decimals and doubles are types of the database.
 */

export const MOST = 2 ** 53 - 1;
/** So many digits are right for every double, and tell one from another. */
export const SURE = 10 ** 15 - 1;
export const DIGITS = 18;

export const within = (x: string, most: bigint | number): string => `${x} BETWEEN -${most} AND ${most}`;
export const power = (digits: number): bigint => 10n ** BigInt(digits);
/** Conditions of which each is looked at only where those before it hold, which AND does not promise. */
export const inTurn = (first: string, then: string): string => `CASE WHEN ${first} THEN ${then} ELSE FALSE END`;

/** Cuts a number off after so many digits. */
type Truncate = (x: string, digits: number) => string;

/** That a number says the same in another type of numbers; undefined where each does, or types are others. */
export function numberFits(from: Column, to: Column, x: string, trunc: Truncate): string | undefined {
  switch (`${from.type} ${to.type}`) {
    case 'integer number':
      return within(x, MOST);
    case 'integer decimal':
      return within(x, power(DIGITS - to.scale) - 1n);
    case 'integer boolean':
      return `${x} IN (0, 1)`;
    case 'number integer':
    case 'decimal integer':
      return inTurn(within(x, MOST), `${x} = ${trunc(x, 0)}`);
    case 'decimal number': {
      const whole = `${x} = ${trunc(x, 0)} AND ${within(x, MOST)}`;
      // Fifteen digits that count, with zeros behind them that don't.
      const few = [0, 1, 2, 3].map((zeros) => {
        const digits = from.scale - zeros;
        const counted = digits < 0 ? `${x} / ${power(-digits)}` : `${x} * ${power(digits)}`;
        return `${x} = ${trunc(x, digits)} AND ${within(counted, SURE)}`;
      });
      return [...few, whole].map((fits) => `(${fits})`).join(' OR ');
    }
    case 'decimal decimal':
      return to.scale > from.scale ? `abs(${x}) < ${power(DIGITS - to.scale)}` : `${x} = ${trunc(x, to.scale)}`;
    default:
      return undefined;
  }
}

/** Forms of texts, as regular expressions. */
export const FORMS = {
  number: '(0|[1-9][0-9]*)',
  integer: '(0|-?[1-9][0-9]{0,15})',
  time: '([01][0-9]|2[0-3]):[0-5][0-9]:[0-5][0-9]([.][0-9]{1,3})?',
  date: '[0-9]{4}-[0-9]{2}-[0-9]{2}',
  offset: '(Z|[+-](0[0-9]|1[0-4]):[0-5][0-9])',
  uuid: '[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}',
} as const;

/** Whether a text says what a decimal of such a scale is. */
export function isDecimal(scale: number, matches: (form: string) => string): string {
  const after = scale === 0 ? '' : `([.][0-9]{1,${scale}})?`;
  return `${matches(`-?(0|[1-9][0-9]{0,${DIGITS - scale - 1}})${after}`)} AND NOT ${matches('-[0.]*')}`;
}

/** A date that exists, in the calendar that has always been the Gregorian one; `whole` makes a number of a text. */
export function isDate(x: string, whole: (text: string) => string): string {
  const part = (from: number, length: number): string => whole(`substr(${x}, ${from}, ${length})`);
  const [year, month, day] = [part(1, 4), part(6, 2), part(9, 2)];
  const leap = `${year} % 4 = 0 AND (${year} % 100 <> 0 OR ${year} % 400 = 0)`;
  const days =
    `CASE WHEN ${month} IN (4, 6, 9, 11) THEN 30 WHEN ${month} <> 2 THEN 31 ` + `WHEN ${leap} THEN 29 ELSE 28 END`;
  return `${year} > 0 AND ${month} BETWEEN 1 AND 12 AND ${day} BETWEEN 1 AND ${days}`;
}
