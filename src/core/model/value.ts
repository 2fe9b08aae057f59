import { formatDecimal, parseDecimal, rescale } from '../text/decimal.ts';
import { doubleOf, plainDigits, writtenNumber } from '../text/exact-number.ts';
import { isRecord, quoted, shortened } from '../text/value.ts';
import type { ValueSpec } from './field.ts';
import { hasFormat } from './formats.ts';
import { joinedKey, textsOfKey } from './joined-key.ts';
import type { FieldValue, Scalar } from './scalar.ts';

/** What is wrong with a value, and by which rule. */
export interface Fault {
  readonly rule: string;
  readonly detail: string;
}

/** As many digits as 64-bit integers hold whatever they are: the same bound on every store. */
const MOST_DIGITS = 18;
/** The most characters of a value with a canonical form. */
const LONGEST_FORM = 10_000;
/** More than that are no decimal, even where zeros stand before and behind it. */
const LONGEST_DECIMAL = 500;

const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i;
const ATOM = "[\\w!#$%&'*+/=?^`{|}~-]+";
const LABEL = '[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?';
/** A dot-atom before the @ (RFC 5322), and a domain of two labels or more behind it. */
const EMAIL = new RegExp(`^${ATOM}(?:\\.${ATOM})*@(?:${LABEL}\\.)+${LABEL}$`, 'i');
const DATE = /^(\d{4})-(\d\d)-(\d\d)$/;
const TIME = /^([01]\d|2[0-3]):([0-5]\d):([0-5]\d)(?:\.(\d+))?$/;
const DATE_TIME = /^(\d{4}-\d\d-\d\d)[Tt](\d\d:\d\d:\d\d)(?:\.(\d+))?([Zz]|[+-](?:[01]\d|2[0-3]):[0-5]\d)$/;

/**
 * The one form in which a JSON value of this type is kept and shown (`12.5` becomes `12.50`, a date-time goes to
 * UTC), or what is wrong with its kind. The caller handles null and undefined.
 */
export function canonical(spec: ValueSpec, value: unknown): { value: FieldValue } | { fault: Fault } {
  const digits = writtenNumber(value);
  if (digits !== undefined) return ofWritten(spec, digits, value);
  switch (spec.type) {
    case 'string':
    case 'text':
    case 'secret':
      if (typeof value !== 'string') return wrongType('text', value);
      return spec.parts === undefined ? plainText(value) : keyOfSeveral(spec.parts, value);
    case 'json':
      return jsonValue(value);
    case 'array':
      if (!Array.isArray(value)) return wrongType('an array', value);
      return { value: value.map((item) => inside(spec.items, item)) };
    case 'object':
      if (!isRecord(value)) return wrongType('an object', value);
      return {
        value: Object.fromEntries(
          Object.entries(value).map(([name, item]) => [name, inside(spec.properties?.get(name), item)]),
        ),
      };
    case 'boolean':
      return typeof value === 'boolean' ? { value } : wrongType('true or false', value);
    case 'integer':
      if (typeof value !== 'number') return wrongType('a whole number', value);
      if (!Number.isInteger(value)) return wrongType('a whole number', value);
      if (!Number.isSafeInteger(value)) return notSafe;
      return { value: value + 0 };
    case 'number':
      if (typeof value !== 'number') return wrongType('a number', value);
      return Number.isFinite(value) ? { value: value + 0 } : faulty('type', 'is too large for a number');
    case 'decimal':
      return decimal(spec, value);
    case 'uuid':
      return written(value, 'a UUID', (text) => (UUID.test(text) ? text.toLowerCase() : undefined));
    case 'email':
      return written(value, 'an e-mail address', (text) => (EMAIL.test(text) ? text : undefined));
    case 'uri':
      return written(value, 'an absolute URI', (text) => (hasFormat('uri', text) ? text : undefined));
    case 'date':
      return written(value, 'a date that exists, like 2026-06-12', (text) => (isDate(text) ? text : undefined));
    case 'time':
      return written(value, 'a time of day, like 14:30:00', (text) => timeOfDay(text));
    case 'date-time':
      return written(value, 'a date and time with its offset, like 2026-06-12T14:30:00Z', instant);
  }
}

/** A number that no JavaScript number equals: it stays exact, unless the type is a double. */
function ofWritten(spec: ValueSpec, written: string, value: unknown): ReturnType<typeof canonical> {
  switch (spec.type) {
    case 'decimal': {
      const digits = plainDigits(written);
      return digits === undefined ? tooManyDigits(spec) : decimal(spec, digits);
    }
    case 'integer':
      return /^-?\d+$/.test(plainDigits(written) ?? '1') ? notSafe : wrongType('a whole number', value);
    case 'number': {
      // Such a field is a double, and takes the nearest value.
      const number = Number(written);
      if (!Number.isFinite(number)) return faulty('type', 'is too large for a number');
      return number === 0 ? faulty('type', 'is too small for a number') : { value: number };
    }
    case 'json': {
      const number = doubleOf(written);
      return number === undefined ? wrongDigits(written) : { value: number };
    }
    default:
      return wrongType(KIND_NAMES.get(spec.type) ?? 'another value', value);
  }
}

const KIND_NAMES = new Map<ValueSpec['type'], string>([
  ['string', 'text'],
  ['text', 'text'],
  ['secret', 'text'],
  ['array', 'an array'],
  ['object', 'an object'],
  ['boolean', 'true or false'],
]);

const wrongDigits = (written: string): { fault: Fault } =>
  faulty('type', `must not hold ${shortened(written)}, which JSON's numbers can not keep; send it as text`);

/** The value of a text in a path, a query or a file. */
export function fromText(spec: ValueSpec, text: string): { value: FieldValue } | { fault: Fault } {
  switch (spec.type) {
    case 'boolean':
      if (text === 'true' || text === 'false') return { value: text === 'true' };
      return faulty('type', `must be true or false, got ${quoted(text)}`);
    case 'integer':
      return canonical(spec, /^-?\d{1,16}$/.test(text) ? Number(text) : text);
    case 'number':
      return canonical(spec, /^-?\d+(\.\d+)?([eE][+-]?\d+)?$/.test(text) ? Number(text) : text);
    case 'json':
    case 'array':
    case 'object':
      try {
        return canonical(spec, JSON.parse(text));
      } catch {
        return faulty('type', `must be JSON, got ${quoted(text)}`);
      }
    default:
      return canonical(spec, text);
  }
}

/** A nested value in its canonical form, if it has one; its own rules report what is wrong. */
function inside(spec: ValueSpec | undefined, value: unknown): FieldValue {
  const read = spec === undefined || value === null ? { value: value as FieldValue } : canonical(spec, value);
  return 'value' in read ? read.value : (value as FieldValue);
}

/** Whether two values in their one form are the same. */
export const isSame = (one: FieldValue | undefined, other: FieldValue | undefined): boolean =>
  one === other || (typeof one === 'object' && one !== null && JSON.stringify(one) === JSON.stringify(other));

const faulty = (rule: string, detail: string): { fault: Fault } => ({ fault: { rule, detail } });
const wrongType = (wanted: string, value: unknown): { fault: Fault } =>
  faulty('type', `must be ${wanted}, got ${quoted(value)}`);

const notSafe = faulty('type', 'must lie within ±9007199254740991');

/** A key that is put together of several values, each in its one form. */
function keyOfSeveral(parts: readonly ValueSpec[], text: string): { value: string } | { fault: Fault } {
  const texts = text.length > LONGEST_FORM ? undefined : textsOfKey(text);
  const read = parts.map((part, at) => fromText(part, texts?.[at] ?? ''));
  const values = read.flatMap((one) => ('value' in one && one.value !== '' ? [one.value as Scalar] : []));
  if (texts?.length === parts.length && values.length === parts.length) return { value: joinedKey(values) };
  return faulty('format', `must be ${parts.length} values with commas between them, got ${quoted(text)}`);
}

function plainText(text: string): { value: string } | { fault: Fault } {
  if (text.includes('\0')) return faulty('type', 'must not contain the character U+0000');
  return text.isWellFormed() ? { value: text } : faulty('type', 'must be well-formed Unicode text');
}

/** Any JSON value whose texts every store can keep. */
function jsonValue(value: unknown): { value: FieldValue } | { fault: Fault } {
  const asText = JSON.stringify(value) ?? 'null';
  const lost: string[] = [];
  const kept = asText.includes('"\\u0000') ? withDoubles(value, lost) : value;
  if (lost[0] !== undefined) return wrongDigits(lost[0]);
  const text = kept === value ? asText : JSON.stringify(kept);
  return text.includes('\\u0000') || /\\u[dD][89a-fA-F]/.test(text)
    ? faulty('type', 'must not contain the character U+0000 or half a character')
    : { value: kept as FieldValue };
}

/** The same value, with doubles for all numbers that are another form of one; others are put into `lost`. */
function withDoubles(value: unknown, lost: string[]): unknown {
  const written = writtenNumber(value);
  if (written !== undefined) {
    const number = doubleOf(written);
    if (number === undefined) lost.push(written);
    return number;
  }
  if (Array.isArray(value)) return value.map((item) => withDoubles(item, lost));
  if (!isRecord(value)) return value;
  return Object.fromEntries(Object.entries(value).map(([name, item]) => [name, withDoubles(item, lost)]));
}

function written(
  value: unknown,
  wanted: string,
  read: (text: string) => string | undefined,
): ReturnType<typeof canonical> {
  if (typeof value !== 'string') return wrongType(`text: ${wanted}`, value);
  const found = value.length > LONGEST_FORM ? undefined : read(value);
  return found === undefined ? faulty('format', `must be ${wanted}, got ${quoted(value)}`) : { value: found };
}

function decimal(spec: ValueSpec, value: unknown): ReturnType<typeof canonical> {
  const text = typeof value === 'number' ? plainDigits(String(value)) : value;
  // Before anything is worked out of them.
  if (typeof text === 'string' && text.length > LONGEST_DECIMAL) return tooManyDigits(spec);
  const parsed = typeof text === 'string' ? parseDecimal(text) : undefined;
  if (parsed === undefined) return wrongType('a decimal number as text, like "12.50"', value);
  const scaled = rescale(parsed, spec.scale);
  if (scaled === undefined) {
    return faulty('scale', `must have at most ${spec.scale} digits after the point, got ${quoted(value)}`);
  }
  if (scaled.digits.toString().replace('-', '').length > MOST_DIGITS) {
    return tooManyDigits(spec);
  }
  return { value: formatDecimal(scaled) };
}

const tooManyDigits = ({ scale }: ValueSpec): { fault: Fault } =>
  faulty('type', `must have at most ${MOST_DIGITS} digits, ${scale} of them after the point`);

export function isDate(text: string): boolean {
  const match = DATE.exec(text);
  if (match === null) return false;
  const [year, month, day] = match.slice(1).map(Number) as [number, number, number];
  return year > 0 && month >= 1 && month <= 12 && day >= 1 && day <= daysIn(year, month);
}

const DAYS = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];

/** Of the Gregorian calendar, in all years. */
export const daysIn = (year: number, month: number): number =>
  month === 2 && year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0) ? 29 : DAYS[month - 1]!;

function timeOfDay(text: string): string | undefined {
  const match = TIME.exec(text);
  if (match === null) return undefined;
  const fraction = (match[4] ?? '').replace(/0+$/, '');
  if (fraction.length > 3) return undefined;
  return text.slice(0, 8) + (fraction === '' ? '' : `.${fraction.padEnd(3, '0')}`);
}

/** RFC 3339, to milliseconds, in UTC. */
function instant(text: string): string | undefined {
  const match = DATE_TIME.exec(text);
  if (match === null) return undefined;
  const [, date = '', time = '', fraction = '', offset = ''] = match;
  if (!isDate(date) || timeOfDay(time) === undefined || fraction.length > 3) return undefined;
  const runtime = new Date(`${date}T${time}.${fraction.padEnd(3, '0')}${offset.toUpperCase()}`);
  const year = runtime.getUTCFullYear();
  return year >= 1 && year <= 9999 ? runtime.toISOString() : undefined;
}
