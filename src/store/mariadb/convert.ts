import type { Kind } from '../../core/model/expression.ts';
import { conversionOf } from '../../core/tables/conversion.ts';
import type { Column } from '../../core/tables/table.ts';
import type { Converted } from '../sql/converted.ts';
import { FORMS, inTurn, isDate, isDecimal, MOST, numberFits, power, SURE, within } from '../sql/exact.ts';
import { convertedInside, sourceText } from '../sql/inside.ts';
import type { InsideSpelling, JsonKind } from '../sql/inside.ts';
import { asText as ordered, pathOf, standsAt, typed } from './expression.ts';
import { momentText, timeText } from './dialect.ts';

const TEXTS = ['string', 'text'];

/** `x` is an expression of the old type that is not null. */
export function converted(from: Column, to: Column, x: string): Converted {
  if (conversionOf(from, to) === 'same') return { value: x };
  if (to.type === 'array' || to.type === 'object') return convertedInside(from, to, x, inside);
  if (TEXTS.includes(from.type)) return fromText(to, x);
  if (TEXTS.includes(to.type)) return { value: asText(from, x) };
  const fits = numberFits(from, to, x, (value, digits) => `truncate(${value}, ${digits})`);
  switch (`${from.type} ${to.type}`) {
    case 'integer boolean':
      return { value: `(${x} = 1)`, fits };
    case 'number decimal': {
      // By the digits that the number is written with: few enough to be those that somebody meant.
      const written = `CAST(CONCAT(${x}) AS DECIMAL(60,30))`;
      const most = to.scale === 0 ? MOST : SURE;
      const exact =
        `truncate(${written}, ${to.scale}) = ${written} AND ` + within(`${written} * ${power(to.scale)}`, most);
      return {
        value: castTo(to, written)!,
        fits: inTurn(`abs(${x}) < 1e16 AND (abs(${x}) >= 1e-25 OR ${x} = 0)`, exact),
      };
    }
    case 'date-time date':
      return { value: `CAST(${x} AS DATE)`, fits: `${x} = CAST(CAST(${x} AS DATE) AS DATETIME(3))` };
    default:
      return { value: castTo(to, x) ?? x, fits };
  }
}

const CAST: readonly string[] = ['decimal', 'integer', 'number', 'boolean', 'date', 'time', 'date-time'];

/** A value as one of a type that texts are no values of; undefined where they are. */
export function castTo({ type, scale }: Pick<Column, 'type' | 'scale'>, x: string): string | undefined {
  if (!CAST.includes(type)) return undefined;
  return typed(x, { kind: type === 'boolean' ? 'integer' : (type as Kind), scale });
}

/** As the value stands in JSON. */
export function asText({ type }: Pick<Column, 'type' | 'scale'>, x: string): string {
  switch (type) {
    case 'boolean':
      return `CASE ${x} WHEN 1 THEN 'true' WHEN 0 THEN 'false' END`;
    case 'date-time':
      return momentText(x);
    case 'time':
      return timeText(x);
    case 'number':
      return doubleText(x);
    default:
      return `CONCAT(${x})`;
  }
}

/** The fewest digits of a double, as every store writes them: with an exponent where it is very large or small. */
function doubleText(x: string): string {
  const text = `CONCAT(${x})`;
  const digits = `regexp_replace(${text}, '^-?0\\.0*', '')`;
  const sign = `CASE WHEN ${x} < 0 THEN '-' ELSE '' END`;
  const behind = `CASE WHEN char_length(${digits}) > 1 THEN CONCAT('.', substr(${digits}, 2)) ELSE '' END`;
  const exponent = `char_length(${text}) - char_length(${digits}) - 1 - char_length(${sign})`;
  const small = `CONCAT(${sign}, left(${digits}, 1), ${behind}, 'e-', lpad(${exponent}, 2, '0'))`;
  return (
    `CASE WHEN ${x} = 0 OR abs(${x}) >= 1e-4 THEN replace(${text}, 'e', 'e+')` +
    ` WHEN locate('e', ${text}) > 0 THEN regexp_replace(${text}, 'e-([0-9])\\z', 'e-0\\1') ELSE ${small} END`
  );
}

const matches = (x: string, form: string): string => `${x} REGEXP '^(${form})\\z'`;
const whole = (text: string): string => `CAST(${text} AS SIGNED)`;

/** What a text says in a type, where it says that and no more. */
function fromText(to: Column, x: string): Converted {
  switch (to.type) {
    case 'integer':
      return { value: whole(x), fits: inTurn(matches(x, FORMS.integer), within(whole(x), MOST)) };
    case 'number': {
      const value = `CAST(${x} AS DOUBLE)`;
      const digits = `replace(replace(${x}, '-', ''), '.', '')`;
      const plain = `${matches(x, `-?${FORMS.number}([.][0-9]+)?`)} AND char_length(${digits}) <= 15`;
      // As other databases write it: with an exponent where it is small.
      return { value, fits: inTurn(plain, `CONCAT(${value}) = ${x} AND (abs(${value}) >= 1e-4 OR ${x} = '0')`) };
    }
    case 'decimal':
      return { value: castTo(to, x) ?? x, fits: isDecimal(to.scale, (form) => matches(x, form)) };
    case 'boolean':
      return { value: `(${x} = 'true')`, fits: `${x} IN ('true', 'false')` };
    case 'date':
      return { value: castTo(to, x) ?? x, fits: inTurn(matches(x, FORMS.date), isDate(x, whole)) };
    case 'time':
      return { value: castTo(to, x) ?? x, fits: matches(x, FORMS.time) };
    case 'date-time':
      return momentOf(x);
    default:
      return { value: `lower(${x})`, fits: matches(x, FORMS.uuid) };
  }
}

/** A date and time with an offset, in UTC. */
function momentOf(x: string): Converted {
  const zone = `CASE WHEN ${x} LIKE '%Z' THEN '+00:00' ELSE right(${x}, 6) END`;
  const minutes = (of: string, at: number): string =>
    `(${whole(`substr(${of}, ${at}, 2)`)} * 60 + ${whole(`substr(${of}, ${at + 3}, 2)`)})`;
  const offset = `(CASE WHEN ${zone} LIKE '-%' THEN -1 ELSE 1 END * ${minutes(`(${zone})`, 2)})`;
  const end = `CASE WHEN ${x} LIKE '%Z' THEN 1 ELSE 6 END`;
  const local = `CAST(replace(substr(${x}, 1, char_length(${x}) - ${end}), 'T', ' ') AS DATETIME(3))`;
  // The minute of the day there, in UTC: on the first and the last day, another day is none.
  const there = `${minutes(x, 12)} - ${offset}`;
  const inYears =
    `NOT (substr(${x}, 1, 10) = '0001-01-01' AND ${there} < 0) AND ` +
    `NOT (substr(${x}, 1, 10) = '9999-12-31' AND ${there} >= 1440)`;
  return {
    value: `(${local} - INTERVAL ${offset} MINUTE)`,
    fits: inTurn(matches(x, `${FORMS.date}T${FORMS.time}${FORMS.offset}`), inTurn(isDate(x, whole), inYears)),
  };
}

const KINDS: Readonly<Record<JsonKind, string>> = {
  null: `'NULL'`,
  text: `'STRING'`,
  integer: `'INTEGER', 'DOUBLE'`,
  number: `'INTEGER', 'DOUBLE'`,
  boolean: `'BOOLEAN'`,
  array: `'ARRAY'`,
  object: `'OBJECT'`,
};

const text = (json: string): string => ordered(`JSON_UNQUOTE(${json})`);
const joined = (open: string, one: string, close: string, from: string, alias: string, where = 'TRUE'): string =>
  `(SELECT CONCAT('${open}', coalesce(group_concat(${one} ORDER BY ${alias}.n SEPARATOR ','), ''), '${close}')` +
  `${sourceText(from, where)})`;
const table = (json: string, column: string, alias: string): string =>
  `JSON_TABLE(${json}, '$[*]' COLUMNS (n FOR ORDINALITY, ${column} PATH '$')) AS ${alias}`;

export const inside: InsideSpelling = {
  is(kind, json) {
    const is = `JSON_TYPE(${json}) IN (${KINDS[kind]})`;
    if (kind !== 'integer') return is;
    return inTurn(is, inTurn(matches(text(json), FORMS.integer), within(whole(text(json)), MOST)));
  },
  child: (json, name) => standsAt(json, pathOf([name])),
  text,
  items: (json, alias) => ({ from: table(json, 'v JSON', alias), item: ordered(`${alias}.v`) }),
  members: (json, alias) => ({
    from: table(`JSON_KEYS(${json})`, 'k LONGTEXT', alias),
    name: ordered(`${alias}.k`),
    value: standsAt(json, `CONCAT('$.', ${ordered(`JSON_QUOTE(${alias}.k)`)})`),
  }),
  array: (value, from, alias) => joined('[', value, ']', from, alias),
  object: (name, value, from, where, alias) =>
    joined('{', `CONCAT(${ordered(`JSON_QUOTE(${name})`)}, ':', ${value})`, '}', from, alias, where),
  fromText,
  asText,
};
