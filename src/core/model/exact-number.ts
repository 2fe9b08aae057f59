// A JSON text may hold numbers that no JavaScript number equals. Reading one as the nearest would change it in silence, so
// it stays as it was written, behind a mark that nobody can guess, with a character that no text of a record may have:
// whatever doesn't look for it refuses it.

import { randomUUID } from 'node:crypto';

const MARK = `\0${randomUUID()} `;
const FORM = /^(-?)(\d+)(?:\.(\d+))?(?:[eE]([+-]?\d+))?$/;
/** So many digits are right for every double, and so many tell each from its neighbours (IEEE 754). */
const SURE_DIGITS = 15;
const MOST_DIGITS = 17;

export const exactNumber = (written: string): string => MARK + written;

/** How a number was written that no JavaScript number equals; undefined for any other value. */
export const writtenNumber = (value: unknown): string | undefined =>
  typeof value === 'string' && value.startsWith(MARK) && FORM.test(value.slice(MARK.length))
    ? value.slice(MARK.length)
    : undefined;

/** Whether the shortest form of the nearest JavaScript number says the same as a number of a JSON text. */
export function isKept(written: string): boolean {
  if (written.length <= SURE_DIGITS && !/[eE]/.test(written)) return true;
  const number = Number(written);
  return Number.isFinite(number) && isSameNumber(String(number), written);
}

/** The double of which this is a form, if not the shortest; undefined where digits would be lost. */
export function doubleOf(written: string): number | undefined {
  const number = Number(written);
  const digits = partsOf(written).digits.length;
  if (!Number.isFinite(number) || digits > MOST_DIGITS) return undefined;
  return isSameNumber(number.toPrecision(Math.max(1, digits)), written) ? number : undefined;
}

/** As text without an exponent; undefined where that would be longer than any value may be. */
export function plainDigits(written: string): string | undefined {
  const { sign, digits, exponent } = partsOf(written);
  if (digits === '') return '0';
  if (digits.length > LONGEST || Math.abs(exponent) > LONGEST) return undefined;
  if (exponent >= 0) return sign + digits + '0'.repeat(exponent);
  const padded = digits.padStart(1 - exponent, '0');
  return `${sign}${padded.slice(0, exponent)}.${padded.slice(exponent)}`;
}

const LONGEST = 400;

function isSameNumber(one: string, other: string): boolean {
  const [left, right] = [partsOf(one), partsOf(other)];
  if (left.digits === '' && right.digits === '') return true;
  return left.sign === right.sign && left.digits === right.digits && left.exponent === right.exponent;
}

/** The digits that count, and the power of ten that they are times. */
function partsOf(written: string): { readonly sign: string; readonly digits: string; readonly exponent: number } {
  const [, sign = '', whole = '', fraction = '', power = '0'] = FORM.exec(written) ?? [];
  const all = whole + fraction;
  let end = all.length;
  while (end > 0 && all[end - 1] === '0') end -= 1;
  let begin = 0;
  while (begin < end && all[begin] === '0') begin += 1;
  return { sign, digits: all.slice(begin, end), exponent: Number(power) - fraction.length + all.length - end };
}
