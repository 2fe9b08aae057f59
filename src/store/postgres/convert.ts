import { conversionOf } from '../../core/tables/conversion.ts';
import type { Column } from '../../core/tables/table.ts';
import type { Converted } from '../sql/converted.ts';
import { convertedInside, sourceText } from '../sql/inside.ts';
import type { InsideSpelling, JsonKind } from '../sql/inside.ts';
import { quoteText } from '../sql/quote.ts';
import { postgresJsonValue } from './dialect.ts';
import { columnType } from './tables.ts';

const MOST = 2 ** 53 - 1;
/** So many digits are right for every double, and tell one from another. */
const SURE = 10 ** 15 - 1;
const DIGITS = 18;

const within = (x: string, most: bigint | number): string => `${x} BETWEEN -${most} AND ${most}`;
const power = (digits: number): bigint => 10n ** BigInt(digits);
/** Conditions of which each is looked at only where those before it hold, which AND does not promise. */
const inTurn = (first: string, then: string): string => `CASE WHEN ${first} THEN ${then} ELSE FALSE END`;

/** `x` is an expression of the old type that is not null. */
export function converted(from: Column, to: Column, x: string): Converted {
  if (conversionOf(from, to) === 'same') return { value: x };
  if (to.type === 'array' || to.type === 'object') return convertedInside(from, to, x, inside);
  if (from.type === 'string' || from.type === 'text') return fromText(to, x);
  const cast = `(${x})::${columnType(to)}`;
  if (to.type === 'string' || to.type === 'text') {
    return { value: asText(from, x), fits: from.type === 'number' ? `abs(${x}) < 'Infinity'` : undefined };
  }
  switch (`${from.type} ${to.type}`) {
    case 'integer number':
      return { value: cast, fits: within(x, MOST) };
    case 'integer decimal':
      return { value: cast, fits: within(x, power(DIGITS - to.scale) - 1n) };
    case 'integer boolean':
      return { value: `${x} = 1`, fits: `${x} IN (0, 1)` };
    case 'boolean integer':
      return { value: `(${x})::int::bigint` };
    case 'number integer':
    case 'decimal integer':
      return { value: cast, fits: inTurn(within(x, MOST), `${x} = trunc(${x})`) };
    case 'number decimal':
      return numberToDecimal(to, x);
    case 'decimal number': {
      const whole = `${x} = trunc(${x}) AND ${within(x, MOST)}`;
      // Fifteen digits that count, with zeros behind them that don't.
      const few = [0, 1, 2, 3].map((zeros) => {
        const digits = from.scale - zeros;
        const counted = digits < 0 ? `${x} / ${power(-digits)}` : `${x} * ${power(digits)}`;
        return `${x} = trunc(${x}, ${digits}) AND ${within(counted, SURE)}`;
      });
      return { value: cast, fits: [...few, whole].map((fits) => `(${fits})`).join(' OR ') };
    }
    case 'decimal decimal': {
      const fits =
        to.scale > from.scale ? `abs(${x}) < ${power(DIGITS - to.scale)}` : `${x} = trunc(${x}, ${to.scale})`;
      return { value: cast, fits };
    }
    case 'date date-time':
      return { value: `(${x})::timestamp AT TIME ZONE 'UTC'` };
    case 'date-time date': {
      const there = `(${x} AT TIME ZONE 'UTC')`;
      return { value: `${there}::date`, fits: `${there} = date_trunc('day', ${there})` };
    }
    default:
      return { value: cast };
  }
}

/** By the digits that the number is written with: few enough to be those that somebody meant. */
function numberToDecimal({ scale }: Column, x: string): Converted {
  const written = `(${x})::text::numeric`;
  const most = scale === 0 ? MOST : SURE;
  const exact = `trunc(${written}, ${scale}) = ${written} AND ${within(`${written} * ${power(scale)}`, most)}`;
  return { value: `(${written})::${columnType({ type: 'decimal', scale })}`, fits: inTurn(`abs(${x}) < 1e16`, exact) };
}

/** As the value stands in JSON, whatever form of dates the database is set to. */
export function asText({ type }: Pick<Column, 'type' | 'scale'>, x: string): string {
  if (type === 'date') return `to_char(${x}, 'YYYY-MM-DD')`;
  return type === 'date-time' || type === 'time' ? postgresJsonValue(type, x) : `(${x})::text`;
}

const NUMBER = '(0|[1-9][0-9]*)';
const matches = (x: string, form: string): string => `${x} ~ '^${form}$'`;
const TIME = '([01][0-9]|2[0-3]):[0-5][0-9]:[0-5][0-9]([.][0-9]{1,3})?';
const DATE = '[0-9]{4}-[0-9]{2}-[0-9]{2}';

/** A date that exists, in the calendar that has always been the Gregorian one. */
function isDate(x: string): string {
  const part = (from: number, length: number): string => `substr(${x}, ${from}, ${length})::int`;
  const [year, month, day] = [part(1, 4), part(6, 2), part(9, 2)];
  const leap = `${year} % 4 = 0 AND (${year} % 100 <> 0 OR ${year} % 400 = 0)`;
  const days =
    `CASE WHEN ${month} IN (4, 6, 9, 11) THEN 30 WHEN ${month} <> ` + `2 THEN 31 WHEN ${leap} THEN 29 ` + 'ELSE 28 END';
  return `${year} > 0 AND ${month} BETWEEN 1 AND 12 AND ${day} BETWEEN 1 AND ${days}`;
}

/** What a text says in a type, where it says that and no more. */
function fromText({ type, scale }: Column, x: string): Converted {
  const value = `(${x})::${columnType({ type, scale })}`;
  switch (type) {
    case 'integer':
      return { value, fits: inTurn(matches(x, '(0|-?[1-9][0-9]{0,15})'), within(`(${x})::bigint`, MOST)) };
    case 'number': {
      const plain = `${matches(x, `-?${NUMBER}([.][0-9]+)?`)} AND length(translate(${x}, '-.', '')) <= 15`;
      return { value, fits: inTurn(plain, `${value}::text = ${x} AND ${x} <> '-0'`) };
    }
    case 'decimal': {
      const after = scale === 0 ? '' : `([.][0-9]{1,${scale}})?`;
      const form = `-?(0|[1-9][0-9]{0,${DIGITS - scale - 1}})${after}`;
      return { value, fits: `${matches(x, form)} AND NOT ${matches(x, '-[0.]*')}` };
    }
    case 'boolean':
      return { value, fits: `${x} IN ('true', 'false')` };
    case 'date':
      return { value, fits: inTurn(matches(x, DATE), isDate(x)) };
    case 'time':
      return { value, fits: matches(x, TIME) };
    case 'date-time': {
      const form = `${DATE}T${TIME}(Z|[+-](0[0-9]|1[0-4]):[0-5][0-9])`;
      const utc = `(${value} AT TIME ZONE 'UTC')`;
      const inYears = `${utc} >= '0001-01-01' AND ${utc} < '10000-01-01'`;
      return { value, fits: inTurn(matches(x, form), inTurn(isDate(x), inYears)) };
    }
    default:
      return { value, fits: matches(x, '[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}') };
  }
}

const KINDS: Readonly<Record<JsonKind, string>> = {
  null: 'null',
  text: 'string',
  integer: 'number',
  number: 'number',
  boolean: 'boolean',
  array: 'array',
  object: 'object',
};

const text = (json: string): string => `(${json} #>> '{}')`;
/** As compact as the service writes it. */
const joined = (open: string, one: string, close: string, from: string, alias: string, where = 'TRUE'): string =>
  `(SELECT ('${open}' || coalesce(string_agg(${one}, ',' ORDER BY ` +
  `${alias}.n), '') || '${close}')::json${sourceText(from, where)})`;

export const inside: InsideSpelling = {
  is(kind, json) {
    const is = `json_typeof(${json}) = '${KINDS[kind]}'`;
    if (kind !== 'integer') return is;
    return inTurn(is, inTurn(matches(text(json), '(0|-?[1-9][0-9]{0,15})'), within(`${text(json)}::bigint`, MOST)));
  },
  child: (json, name) => `(${json} -> ${quoteText(name)})`,
  text,
  items: (json, alias) => ({
    from: `json_array_elements(${json}) WITH ORDINALITY AS ${alias}(v, n)`,
    item: `${alias}.v`,
  }),
  members: (json, alias) => ({
    from: `json_each(${json}) WITH ORDINALITY AS ${alias}(k, v, n)`,
    name: `${alias}.k`,
    value: `${alias}.v`,
  }),
  array: (value, from, alias) => joined('[', `(${value})::text`, ']', from, alias),
  object: (name, value, from, where, alias) =>
    joined('{', `to_json(${name})::text || ':' || (${value})::text`, '}', from, alias, where),
  fromText,
  asText,
};
