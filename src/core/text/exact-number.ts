// A JSON text may hold numbers that no JavaScript number equals. Reading one as the nearest would change it in
// silence, so it stays as it was written, behind a mark that nobody can guess, with a character that no text of a
// record may have: whatever doesn't look for it refuses it.

import { randomUUID } from 'node:crypto';

const MARK = `\0${randomUUID()} `;
/** So many digits are right for every double, and so many tell each from its neighbours (IEEE 754). */
const SURE_DIGITS = 15;
const MOST_DIGITS = 17;
/** A number of more letters is none that any value keeps. */
const LONGEST = 400;

export const exactNumber = (written: string): string => MARK + written;

/** How a number was written that no JavaScript number equals; undefined for any other value. */
export const writtenNumber = (value: unknown): string | undefined =>
  typeof value === 'string' && value.startsWith(MARK) ? value.slice(MARK.length) : undefined;

/** Whether the shortest form of the nearest JavaScript number says the same as a number of a JSON text. */
export function isKept(written: string): boolean {
  if (written.length <= SURE_DIGITS && !written.includes('e') && !written.includes('E')) return true;
  if (written.length > LONGEST) return false;
  const number = Number(written);
  const shortest = String(number);
  return shortest === written || (Number.isFinite(number) && isSameNumber(shortest, written));
}

/** The double of which this is a form, if not the shortest; undefined where digits would be lost. */
export function doubleOf(written: string): number | undefined {
  if (written.length > LONGEST) return undefined;
  const number = Number(written);
  const { digits } = partsOf(written);
  if (!Number.isFinite(number) || digits.length > MOST_DIGITS) return undefined;
  return isSameNumber(number.toPrecision(Math.max(1, digits.length)), written) ? number : undefined;
}

/** As text without an exponent; undefined where that would be longer than any value may be. */
export function plainDigits(written: string): string | undefined {
  if (written.length > LONGEST) return undefined;
  const { sign, digits, exponent } = partsOf(written);
  if (digits === '') return '0';
  if (Math.abs(exponent) > LONGEST) return undefined;
  if (exponent >= 0) return sign + digits + '0'.repeat(exponent);
  const padded = digits.padStart(1 - exponent, '0');
  return `${sign}${padded.slice(0, exponent)}.${padded.slice(exponent)}`;
}

function isSameNumber(one: string, other: string): boolean {
  const [left, right] = [partsOf(one), partsOf(other)];
  if (left.digits === '' && right.digits === '') return true;
  return left.sign === right.sign && left.digits === right.digits && left.exponent === right.exponent;
}

/**
 * The digits that count, and the power of ten that they are times. Written out: a body may have many thousands of
 * them.
 */
function partsOf(written: string): { readonly sign: string; readonly digits: string; readonly exponent: number } {
  const sign = written.startsWith('-') ? '-' : '';
  let end = written.indexOf('e');
  if (end < 0) end = written.indexOf('E');
  const power = end < 0 ? 0 : Number(written.slice(end + 1));
  const mantissa = written.slice(sign.length, end < 0 ? undefined : end);
  const point = mantissa.indexOf('.');
  const all = point < 0 ? mantissa : mantissa.slice(0, point) + mantissa.slice(point + 1);
  const fraction = point < 0 ? 0 : mantissa.length - point - 1;
  let last = all.length;
  while (last > 0 && all[last - 1] === '0') last -= 1;
  let first = 0;
  while (first < last && all[first] === '0') first += 1;
  return { sign, digits: all.slice(first, last), exponent: power - fraction + all.length - last };
}
