/** An exact decimal number: `digits` / 10^`scale`. */
export interface Decimal {
  readonly digits: bigint;
  readonly scale: number;
}

const FORM = /^(-?)(\d+)(?:\.(\d+))?$/;

/** Reads `-12.50`; undefined for anything else, exponents included. */
export function parseDecimal(text: string): Decimal | undefined {
  const match = FORM.exec(text);
  if (match === null) return undefined;
  const [, sign, whole = '', fraction = ''] = match;
  return { digits: BigInt(`${sign}${whole}${fraction}`), scale: fraction.length };
}

/** The same value with so many digits after the point; undefined where digits would be lost. */
export function rescale(value: Decimal, scale: number): Decimal | undefined {
  if (scale >= value.scale) return { digits: value.digits * 10n ** BigInt(scale - value.scale), scale };
  const divisor = 10n ** BigInt(value.scale - scale);
  return value.digits % divisor === 0n ? { digits: value.digits / divisor, scale } : undefined;
}

export function formatDecimal({ digits, scale }: Decimal): string {
  const text = (digits < 0n ? -digits : digits).toString().padStart(scale + 1, '0');
  const sign = digits < 0n ? '-' : '';
  return scale === 0 ? sign + text : `${sign}${text.slice(0, -scale)}.${text.slice(-scale)}`;
}

/** Below 0, 0 or above 0, as the first is less than, equal to or greater than the second. */
export function compareDecimals(one: Decimal, other: Decimal): number {
  const scale = Math.max(one.scale, other.scale);
  const difference = rescale(one, scale)!.digits - rescale(other, scale)!.digits;
  return difference < 0n ? -1 : difference > 0n ? 1 : 0;
}

/** A number of a declaration (`minimum: 0.01`) as the decimal that its author wrote. */
export function decimalOfNumber(value: number): Decimal {
  const text = String(value);
  const [mantissa = '0', exponent] = text.split('e');
  const plain = parseDecimal(mantissa)!;
  const shift = Number(exponent ?? 0);
  if (shift <= 0) return { digits: plain.digits, scale: plain.scale - shift };
  return { digits: plain.digits * 10n ** BigInt(shift), scale: plain.scale };
}
