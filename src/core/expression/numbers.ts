import type { Arithmetic } from '../model/expression.ts';

/**
 * Arithmetic as every store does it, in JavaScript. Integers are numbers within ±(2^53−1); decimals are whole numbers
 * of their smallest unit, of 18 digits at most. Whatever lies beyond, and whatever is divided by zero, is null.
 */
export const MOST_INTEGER = Number.MAX_SAFE_INTEGER;
export const MOST_UNITS = 10n ** 18n - 1n;
/** Beyond such an exponent a power is null. */
export const MOST_EXPONENT = 1_000_000;
/** Natural logarithms of the largest and the least magnitude of a power. */
export const POWER_BOUNDS = { most: 709.7, least: -700 } as const;

export const inInteger = (value: number): number | null => (Math.abs(value) <= MOST_INTEGER ? value + 0 : null);
export const inUnits = (value: bigint): bigint | null => (value > MOST_UNITS || value < -MOST_UNITS ? null : value);
const finite = (value: number): number | null => (Number.isFinite(value) ? value + 0 : null);

export function ofIntegers(op: Arithmetic, a: number, b: number): number | null {
  switch (op) {
    case '+':
      return inInteger(a + b);
    case '-':
      return inInteger(a - b);
    case '*':
      return inInteger(a * b);
    case 'div':
      return b === 0 ? null : inInteger(Math.trunc(a / b));
    case '%':
      return b === 0 ? null : inInteger(a % b);
    default:
      throw new Error(`${op} is not for integers`);
  }
}

/** Both of one scale, but for `*`, whose product has the scales of both. `div` gives a plain integer. */
export function ofUnits(op: Arithmetic, a: bigint, b: bigint): bigint | null {
  switch (op) {
    case '+':
      return inUnits(a + b);
    case '-':
      return inUnits(a - b);
    case '*':
      return inUnits(a * b);
    case 'div':
      return b === 0n ? null : a / b;
    case '%':
      return b === 0n ? null : inUnits(a % b);
    default:
      throw new Error(`${op} is not for decimals`);
  }
}

export function ofNumbers(op: Arithmetic, a: number, b: number): number | null {
  switch (op) {
    case '+':
      return finite(a + b);
    case '-':
      return finite(a - b);
    case '*':
      return finite(a * b);
    case '/':
      return b === 0 ? null : finite(a / b);
    case 'div': {
      const quotient = b === 0 ? null : finite(a / b);
      return quotient === null ? null : Math.trunc(quotient) + 0;
    }
    case '%': {
      const quotient = b === 0 ? null : finite(a / b);
      return quotient === null ? null : finite(a - b * Math.trunc(quotient));
    }
    case '^':
      return power(a, b);
  }
}

/** To 15 digits: the last bits of a power differ between the libraries that stores are built with. */
function power(a: number, b: number): number | null {
  if (Math.abs(b) > MOST_EXPONENT) return null;
  if (a === 0) return b < 0 ? null : b === 0 ? 1 : 0;
  if (a < 0 && b !== Math.floor(b)) return null;
  const size = b * Math.log(Math.abs(a));
  if (size > POWER_BOUNDS.most) return null;
  return size < POWER_BOUNDS.least ? 0 : Number((a ** b).toPrecision(15));
}

/** Half away from zero. The part after the point of a number is exact, and so is its double. */
export function rounded(value: number): number {
  const whole = Math.trunc(value);
  return whole + Math.trunc((value - whole) * 2);
}

/** Units of one scale as units of another, rounded half away from zero where digits are lost. */
export function rescaled(units: bigint, from: number, to: number): bigint {
  if (to >= from) return units * 10n ** BigInt(to - from);
  const unit = 10n ** BigInt(from - to);
  const whole = units / unit;
  return whole + ((units - whole * unit) * 2n) / unit;
}
