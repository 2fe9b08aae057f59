import { conversionOf } from '../../core/tables/conversion.ts';
import type { Column } from '../../core/tables/table.ts';
import type { Converted } from '../sql/converted.ts';
import { convertedInside, sourceText } from '../sql/inside.ts';
import type { InsideSpelling, JsonKind } from '../sql/inside.ts';
import { quoteText } from '../sql/quote.ts';
import { decimalText } from './dialect.ts';

const MOST = 2 ** 53 - 1;
/** So many digits are right for every double, and tell one from another. */
const SURE = 10 ** 15 - 1;
const DIGITS = 18;

const within = (x: string, most: bigint | number): string => `${x} BETWEEN -${most} AND ${most}`;

/** `x` is an expression of the old type that is not null. */
export function converted(from: Column, to: Column, x: string): Converted {
  if (conversionOf(from, to) === 'same') return { value: x };
  if (to.type === 'array' || to.type === 'object') return convertedInside(from, to, x, inside);
  if (from.type === 'string' || from.type === 'text') return fromText(to, x);
  if (to.type === 'string' || to.type === 'text') return { value: asText(from, x), fits: hasText(from, x) };
  const unit = (column: Column): bigint => 10n ** BigInt(column.scale);
  switch (`${from.type} ${to.type}`) {
    case 'integer number':
      return { value: `CAST(${x} AS REAL)`, fits: within(x, MOST) };
    case 'integer decimal':
      return {
        value: to.scale === 0 ? x : `${x} * ${unit(to)}`,
        fits: within(x, 10n ** BigInt(DIGITS - to.scale) - 1n),
      };
    case 'integer boolean':
      return { value: x, fits: `${x} IN (0, 1)` };
    case 'number integer':
      return { value: `CAST(${x} AS INTEGER)`, fits: `${within(x, MOST)} AND CAST(${x} AS INTEGER) = ${x}` };
    case 'number decimal': {
      const value = `CAST(round(${x} * ${unit(to)}) AS INTEGER)`;
      const most = to.scale === 0 ? MOST : SURE;
      return { value, fits: `${within(value, most)} AND ${value} / ${unit(to)}.0 = ${x}` };
    }
    case 'decimal integer': {
      const value = `${x} / ${unit(from)}`;
      return { value, fits: `${x} % ${unit(from)} = 0 AND ${within(value, MOST)}` };
    }
    case 'decimal number':
      return decimalToNumber(from, x);
    case 'decimal decimal': {
      const step = 10n ** BigInt(Math.abs(to.scale - from.scale));
      return to.scale > from.scale
        ? { value: `${x} * ${step}`, fits: within(x, (10n ** BigInt(DIGITS) - 1n) / step) }
        : { value: `${x} / ${step}`, fits: `${x} % ${step} = 0` };
    }
    case 'date date-time':
      return { value: `${x} || 'T00:00:00.000Z'` };
    case 'date-time date':
      return { value: `substr(${x}, 1, 10)`, fits: `substr(${x}, 11) = 'T00:00:00.000Z'` };
    default:
      return { value: x };
  }
}

/**
 * Fifteen digits that count, or a whole number. Divided by a power of ten, a number of so many is rounded once, and
 * well.
 */
function decimalToNumber({ scale }: Column, x: string): Converted {
  const unit = 10n ** BigInt(scale);
  const cases = [0, 1, 2, 3].map((zeros) => {
    const few = zeros === 0 ? x : `${x} / ${10n ** BigInt(zeros)}`;
    const fits = `${zeros === 0 ? '' : `${x} % ${10n ** BigInt(zeros)} = 0 AND `}${within(few, SURE)}`;
    const rest = `${10n ** BigInt(Math.abs(scale - zeros))}.0`;
    return { fits, value: `${few} ${scale >= zeros ? '/' : '*'} ${rest}` };
  });
  cases.push({
    fits: `${x} % ${unit} = 0 AND ${within(`${x} / ${unit}`, MOST)}`,
    value: `CAST(${x} / ${unit} AS REAL)`,
  });
  const value = `CASE ${cases.map((one) => `WHEN ${one.fits} THEN ${one.value}`).join(' ')} END`;
  return { value, fits: cases.map(({ fits }) => `(${fits})`).join(' OR ') };
}

/** A value as a text, as it stands in JSON. */
export function asText({ type, scale }: Pick<Column, 'type' | 'scale'>, x: string): string {
  switch (type) {
    case 'integer':
      return `CAST(${x} AS TEXT)`;
    case 'number':
      return writtenDouble(x);
    case 'decimal':
      return decimalText(scale, x);
    case 'boolean':
      return `CASE ${x} WHEN 1 THEN 'true' ELSE 'false' END`;
    default:
      return x;
  }
}

/** A double of fifteen digits at most, as JSON has it. */
const writtenDouble = (x: string): string =>
  `CASE WHEN ${x} = CAST(${x} AS INTEGER) AND abs(${x}) < 1e15 THEN printf('%d', ${x})` +
  ` ELSE replace(printf('%!.15g', ${x}), '.0e', 'e') END`;

/** Of a double with more digits, SQLite does not know how few tell it from another. */
const hasText = ({ type }: Column, x: string): string | undefined =>
  type === 'number'
    ? `CAST(printf('%!.15g', ${x}) AS REAL) = ${x} AND (${x} = 0 OR abs(${x}) BETWEEN 1e-300 AND 1e300)`
    : undefined;

const digit = '[0-9]';
const digits = (count: number): string => digit.repeat(count);
const DATE = `${digits(4)}-${digits(2)}-${digits(2)}`;
const TIME = `${digits(2)}:${digits(2)}:${digits(2)}`;
const FRACTIONS = ['', ...[1, 2, 3].map((count) => `.${digits(count)}`)];

const globs = (x: string, forms: readonly string[]): string =>
  `(${forms.map((form) => `${x} GLOB '${form}'`).join(' OR ')})`;

/** A date that exists. */
const isDate = (x: string): string => `${x} GLOB '${DATE}' AND ${x} IS date(${x}) AND ${x} >= '0001-01-01'`;

const isTime = (x: string, after = ''): string =>
  `${globs(
    x,
    FRACTIONS.map((fraction) => `${TIME}${fraction}${after}`),
  )} AND substr(${x}, 1, 2) < '24' AND substr(${x}, 4, 2) < '60' AND substr(${x}, 7, 2) < '60'`;

/** A number as JSON writes it, but for an exponent. */
const isPlainNumber = (x: string): string => {
  const bare = `ltrim(${x}, '-')`;
  return (
    `${x} NOT GLOB '*[^-.0-9]*' AND ${x} NOT GLOB '?*-*' AND ${bare} GLOB '[0-9]*' AND ${bare} NOT GLOB '*.'` +
    ` AND ${bare} NOT GLOB '*.*.*' AND ${bare} NOT GLOB '0[0-9]*' AND (${x} NOT GLOB '-*' OR ${x} GLOB '*[1-9]*')`
  );
};

/** What a text says in a type, where it says that and no more. */
function fromText({ type, scale }: Column, x: string): Converted {
  switch (type) {
    case 'integer': {
      const value = `CAST(${x} AS INTEGER)`;
      return { value, fits: `CAST(${value} AS TEXT) = ${x} AND ${within(value, MOST)}` };
    }
    case 'number': {
      const value = `CAST(${x} AS REAL)`;
      const few = `length(replace(ltrim(${x}, '-'), '.', '')) <= 15`;
      return { value, fits: `${isPlainNumber(x)} AND ${few} AND ${writtenDouble(value)} = ${x}` };
    }
    case 'decimal': {
      const bare = `ltrim(${x}, '-')`;
      const whole = `instr(${bare} || '.', '.') - 1`;
      const after = `max(0, length(${bare}) - instr(${bare} || '.', '.'))`;
      const value = `CAST(replace(${x}, '.', '') || substr('${'0'.repeat(scale)}', 1 + ${after}) AS INTEGER)`;
      return { value, fits: `${isPlainNumber(x)} AND ${whole} <= ${DIGITS - scale} AND ${after} <= ${scale}` };
    }
    case 'boolean':
      return { value: `${x} = 'true'`, fits: `${x} IN ('true', 'false')` };
    case 'date':
      return { value: x, fits: isDate(x) };
    case 'time': {
      // Without a fraction where that is nothing, with three digits else.
      const fraction = `substr(${x}, 10)`;
      const kept = `CASE WHEN rtrim(${fraction}, '0') = '' THEN '' ELSE '.' || substr(${fraction} || '00', 1, 3) END`;
      return { value: `substr(${x}, 1, 8) || ${kept}`, fits: isTime(x) };
    }
    case 'date-time': {
      const value = `strftime('%Y-%m-%dT%H:%M:%fZ', ${x})`;
      const offset = globs(x, ['*Z', `*[-+]0${digit}:[0-5]${digit}`, `*[-+]1[0-4]:[0-5]${digit}`]);
      const time = `substr(${x}, 12, length(${x}) - 11 - CASE WHEN ${x} GLOB '*Z' THEN 1 ELSE 6 END)`;
      const parts = `${isDate(`substr(${x}, 1, 10)`)} AND substr(${x}, 11, 1) = 'T' AND ${isTime(time)}`;
      return { value, fits: `${offset} AND ${parts} AND ${value} >= '0001-01-01'` };
    }
    default: {
      const form = [8, 4, 4, 4, 12].map((count) => '[0-9a-f]'.repeat(count)).join('-');
      return { value: `lower(${x})`, fits: `lower(${x}) GLOB '${form}'` };
    }
  }
}

const KINDS: Readonly<Record<JsonKind, string>> = {
  null: "= 'null'",
  text: "= 'text'",
  integer: "= 'integer'",
  number: "IN ('integer', 'real')",
  boolean: "IN ('true', 'false')",
  array: "= 'array'",
  object: "= 'object'",
};

/** The text that stands in an array or an object, digit by digit: a number that is read loses some. */
const exact = (json: string, alias: string): string => `(${json} -> ${alias}.fullkey)`;

export const inside: InsideSpelling = {
  is(kind, json) {
    const is = `json_type(${json}) ${KINDS[kind]}`;
    return kind === 'integer' ? `(${is} AND ${within(`(${json} ->> '$')`, MOST)})` : is;
  },
  child: (json, name) => `(${json} -> ${quoteText(`$.${JSON.stringify(name)}`)})`,
  text: (json) => `(${json} ->> '$')`,
  items: (json, alias) => ({ from: `json_each(${json}) AS ${alias}`, item: exact(json, alias) }),
  members: (json, alias) => ({
    from: `json_each(${json}) AS ${alias}`,
    name: `${alias}.key`,
    value: exact(json, alias),
  }),
  array: (value, from) => `(SELECT json_group_array(json(${value})) FROM ${from})`,
  object: (name, value, from, where) => `(SELECT json_group_object(${name}, json(${value}))${sourceText(from, where)})`,
  fromText,
  asText,
};
