import { conversionOf } from '../../core/tables/conversion.ts';
import type { Column } from '../../core/tables/table.ts';
import type { Converted } from '../sql/converted.ts';
import { convertedInside, sourceText } from '../sql/inside.ts';
import type { InsideSpelling, JsonKind } from '../sql/inside.ts';
import { FORMS, inTurn, isDate, isDecimal, MOST, numberFits, power, SURE, within } from '../sql/exact.ts';
import { quoteText } from '../sql/quote.ts';
import { postgresJsonValue } from './dialect.ts';
import { columnType } from './tables.ts';

const whole = (text: string): string => `(${text})::int`;

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
    case 'integer boolean':
      return { value: `${x} = 1`, fits: numberFits(from, to, x, trunc) };
    case 'boolean integer':
      return { value: `(${x})::int::bigint` };
    case 'number decimal':
      return numberToDecimal(to, x);
    case 'date date-time':
      return { value: `(${x})::timestamp AT TIME ZONE 'UTC'` };
    case 'date-time date': {
      const there = `(${x} AT TIME ZONE 'UTC')`;
      return { value: `${there}::date`, fits: `${there} = date_trunc('day', ${there})` };
    }
    default:
      return { value: cast, fits: numberFits(from, to, x, trunc) };
  }
}

const trunc = (x: string, digits: number): string => (digits === 0 ? `trunc(${x})` : `trunc(${x}, ${digits})`);

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

const matches = (x: string, form: string): string => `${x} ~ '^${form}$'`;

/** What a text says in a type, where it says that and no more. */
function fromText({ type, scale }: Column, x: string): Converted {
  const value = `(${x})::${columnType({ type, scale })}`;
  switch (type) {
    case 'integer':
      return { value, fits: inTurn(matches(x, FORMS.integer), within(`(${x})::bigint`, MOST)) };
    case 'number': {
      const plain = `${matches(x, `-?${FORMS.number}([.][0-9]+)?`)} AND length(translate(${x}, '-.', '')) <= 15`;
      return { value, fits: inTurn(plain, `${value}::text = ${x} AND ${x} <> '-0'`) };
    }
    case 'decimal':
      return { value, fits: isDecimal(scale, (form) => matches(x, form)) };
    case 'boolean':
      return { value, fits: `${x} IN ('true', 'false')` };
    case 'date':
      return { value, fits: inTurn(matches(x, FORMS.date), isDate(x, whole)) };
    case 'time':
      return { value, fits: matches(x, FORMS.time) };
    case 'date-time': {
      const form = `${FORMS.date}T${FORMS.time}${FORMS.offset}`;
      const utc = `(${value} AT TIME ZONE 'UTC')`;
      const inYears = `${utc} >= '0001-01-01' AND ${utc} < '10000-01-01'`;
      return { value, fits: inTurn(matches(x, form), inTurn(isDate(x, whole), inYears)) };
    }
    default:
      return { value, fits: matches(x, FORMS.uuid) };
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
    return inTurn(is, inTurn(matches(text(json), FORMS.integer), within(`${text(json)}::bigint`, MOST)));
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
