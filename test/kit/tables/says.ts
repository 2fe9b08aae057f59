import { parseDecimal, rescale, formatDecimal } from '../../../src/core/text/decimal.ts';
import { canonical } from '../../../src/core/model/value.ts';
import { plainDigits } from '../../../src/core/text/exact-number.ts';
import type { Kind } from './nasty.ts';

type Value = string | number | boolean;

const MOST = Number.MAX_SAFE_INTEGER;
const isText = ({ type }: Kind): boolean => ['string', 'text', 'email'].includes(type);

/** A number as PostgreSQL writes it in JSON, and the service on every store. */
export function numberText(value: number): string {
  const [digits = '', exponent = ''] = value.toExponential().split('e');
  const power = Number(exponent);
  if (power >= -4 && power < 15) return String(value);
  return `${digits}e${power < 0 ? '-' : '+'}${String(Math.abs(power)).padStart(2, '0')}`;
}

/** The digits that count. */
const digitsOf = (written: string): number =>
  written
    .replace(/^-?0*\.?0*/, '')
    .replace('.', '')
    .replace(/0+$/, '').length;

/**
 * What a value says in another type, read by the service's own eyes; undefined where it says nothing, or not the same.
 * An independent reading of the table in docs/migrations.md.
 */
export function says(from: Kind, to: Kind, value: Value): Value | undefined {
  if (from.type === to.type && from.scale === to.scale) return value;
  if (isText(from) && isText(to)) return value;
  if (isText(to)) return from.type === 'number' ? numberText(value as number) : String(value);
  if (isText(from)) return ofText(to, value as string);
  switch (`${from.type} ${to.type}`) {
    case 'boolean integer':
      return value === true ? 1 : 0;
    case 'integer boolean':
      return value === 1 ? true : value === 0 ? false : undefined;
    case 'date date-time':
      return `${String(value)}T00:00:00.000Z`;
    case 'date-time date':
      return String(value).endsWith('T00:00:00.000Z') ? String(value).slice(0, 10) : undefined;
  }
  const written = plainDigits(typeof value === 'number' ? String(value) : String(value))!;
  const exact = parseDecimal(written)!;
  switch (to.type) {
    case 'integer': {
      const whole = rescale(exact, 0);
      return whole !== undefined && whole.digits >= -BigInt(MOST) && whole.digits <= BigInt(MOST)
        ? Number(whole.digits)
        : undefined;
    }
    case 'number': {
      const isWhole = Number.isSafeInteger(Number(written)) && rescale(exact, 0) !== undefined;
      return digitsOf(written) <= 15 || isWhole ? Number(written) : undefined;
    }
    default: {
      const scaled = rescale(exact, to.scale);
      if (scaled === undefined || String(scaled.digits).replace('-', '').length > 18) return undefined;
      const isSure = from.type !== 'number' || String(scaled.digits).replace('-', '').length <= 15;
      return isSure || (to.scale === 0 && Number.isSafeInteger(value)) ? formatDecimal(scaled) : undefined;
    }
  }
}

function ofText(to: Kind, text: string): Value | undefined {
  const plain = /^-?(0|[1-9]\d*)(\.\d+)?$/.test(text) && !/^-[0.]*$/.test(text);
  switch (to.type) {
    case 'boolean':
      return text === 'true' ? true : text === 'false' ? false : undefined;
    case 'integer':
      return plain && Number.isSafeInteger(Number(text)) && String(Number(text)) === text ? Number(text) : undefined;
    case 'number':
      return plain && text.replace(/[-.]/g, '').length <= 15 && numberText(Number(text)) === text
        ? Number(text)
        : undefined;
    default: {
      if (to.type === 'decimal' && !plain) return undefined;
      const read = canonical({ ...to, rules: {} } as never, text);
      return 'value' in read ? (read.value as Value) : undefined;
    }
  }
}

/** What SQLite can't tell: how few digits make a double that has many. */
export const isBeyondSqlite = (from: Kind, to: Kind, value: Value): boolean =>
  from.type === 'number' &&
  isText(to) &&
  (digitsOf(plainDigits(String(value)) ?? '9'.repeat(99)) > 15 ||
    Math.abs(value as number) > 1e300 ||
    (value !== 0 && Math.abs(value as number) < 1e-300));
