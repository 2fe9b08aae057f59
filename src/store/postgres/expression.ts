import { MOST_EXPONENT, MOST_INTEGER, MOST_UNITS, POWER_BOUNDS } from '../../core/expression/numbers.ts';
import type { Kind, ValueKind } from '../../core/model/expression.ts';
import type { ExpressionDialect } from '../../core/sql/expression-dialect.ts';
import { lettersTable } from '../../core/tables/own-tables.ts';
import { formatDecimal } from '../../core/text/decimal.ts';
import { quoteName, quoteText } from '../sql/quote.ts';
import { bound } from './bound.ts';
import { postgresCalendar } from './calendar.ts';

const types: Readonly<Record<Kind, string>> = {
  text: 'text',
  uuid: 'uuid',
  integer: 'bigint',
  decimal: 'numeric',
  number: 'float8',
  boolean: 'boolean',
  date: 'date',
  time: 'time(3)',
  'date-time': 'timestamptz(3)',
  array: 'jsonb',
  json: 'jsonb',
};

/** The order of texts is that of their code points, whatever the database's own. */
const typed = (of: string, kind: Kind): string =>
  kind === 'text' ? `((${of})::text COLLATE "C")` : `(${of})::${types[kind]}`;

/**
 * Whole numbers are worked with as `numeric`, which can't overflow. Nothing here repeats the text of an operand: where
 * a formula needs one twice, it is bound to a name first.
 */
export const postgresExpressions: ExpressionDialect = {
  name: quoteName,
  parameter: (type, placeholder) => typed(placeholder, type.kind),
  inside(column, path, type) {
    if (type.kind !== 'json') return typed(`(${column}) #>> ${quoteText(`{${path.join(',')}}`)}`, type.kind);
    const json = `${column}${path.map((name) => ` -> ${quoteText(name)}`).join('')}`;
    return `(CASE WHEN json_typeof(${json}) <> 'null' THEN ${json} END)`;
  },

  open(json, { kind }) {
    const type = kind === 'text' ? 'string' : kind;
    const value = `CASE WHEN json_typeof(j) = '${type}' THEN ${typed(`j #>> '{}'`, kind)} END`;
    return `(SELECT ${value} FROM (SELECT ${json} AS j) AS json)`;
  },
  // What has another form was the key of another time: it is nobody's.
  keyOfText: ({ kind }, text) =>
    kind === 'uuid'
      ? `(CASE WHEN ${text} ~ '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$' THEN ${text}::uuid END)`
      : kind === 'integer'
        ? `(CASE WHEN ${text} ~ '^-?[0-9]{1,18}$' THEN ${text}::bigint END)`
        : kind === 'date'
          ? `(CASE WHEN ${text} ~ '^[0-9]{4}-[0-9]{2}-[0-9]{2}$' THEN ${text}::date END)`
          : text,
  items: (array, items) =>
    `SELECT ${typed('value', items.kind)} AS v FROM json_array_elements_text((${array})::json) WHERE value IS NOT NULL`,

  convert(of, from, to, bounded) {
    const kept = (value: string): string => (bounded ? within(value, boundOf(to)) : value);
    if (to.kind === 'date-time') return `((${of})::timestamp AT TIME ZONE 'UTC')`;
    if (from.kind === 'decimal') {
      if (to.kind === 'number') return `(((${of}) * 1e${from.scale})::float8 / 1e${from.scale}::float8)`;
      const units = `round(${of}, ${to.scale})`;
      return to.kind === 'integer' ? within(units, integerBound) : kept(units);
    }
    if (to.kind === 'decimal') {
      if (from.kind === 'integer') return kept(`(${of})::numeric`);
      return bound(
        { x: `(${of}) * 1e${to.scale}::float8` },
        `CASE WHEN abs(x) <= 999999999999999900 THEN (${rounded('x')})::bigint::numeric / 1e${to.scale} END`,
      );
    }
    if (to.kind === 'integer') {
      return bound({ x: of }, `CASE WHEN abs(x) <= ${MOST_INTEGER} THEN (${rounded('x')})::bigint END`);
    }
    return to.kind === 'number' ? `(${of})::float8` : of;
  },

  arithmetic(op, left, right, operands, result) {
    if (operands === 'number') return ofNumbers(op, left, right);
    const [a, b] = [`(${left})::numeric`, `(${right})::numeric`];
    const most = boundOf(result);
    if (op === 'div') return within(`div(${a}, nullif(${b}, 0))`, most);
    return within(op === '%' ? `(${a} % nullif(${b}, 0))` : `(${a} ${op} ${b})`, most);
  },

  like(of, pattern, place) {
    const text = pattern.map((part) =>
      part === 'any' ? '%' : part === 'one' ? '_' : part.text.replace(/[\\%_]/g, (sign) => `\\${sign}`),
    );
    return `(${of} LIKE ${typed(place(text.join('')), 'text')} ESCAPE '\\')`;
  },

  letters(change, of) {
    const ascii = change === 'accenti' ? 'x' : change === 'upper' ? 'upper(x)' : 'lower(x)';
    const each =
      `SELECT string_agg(coalesce(l.${quoteName(change)}, ` +
      `${ascii.replace('x', '(c.letter COLLATE "C")')}), '' ORDER BY c.i)` +
      ` FROM string_to_table(x, NULL) WITH ORDINALITY AS c(letter, i)` +
      ` LEFT JOIN ${quoteName(lettersTable.name)} AS l ON l.letter = c.letter COLLATE "C"`;
    const value = bound(
      { x: `(${of}) COLLATE "C"` },
      `CASE WHEN x ~ '[^\\u0001-\\u007f]' THEN (${each}) ELSE ${ascii} END`,
    );
    return `(${value} COLLATE "C")`;
  },

  length: (of) => `char_length(${of})`,

  ...postgresCalendar,

  aggregate(op, column, result) {
    if (op === 'min' || op === 'max') return `${op}(${column})`;
    if (result.kind === 'number') return `${op}(${column})`;
    return within(`sum(${column})`, boundOf(result));
  },
};

const integerBound = String(MOST_INTEGER + 1);
const boundOf = ({ kind, scale }: ValueKind): string =>
  kind === 'integer' ? integerBound : formatDecimal({ digits: MOST_UNITS + 1n, scale });

/** Null at and beyond ±beyond: cut to it, and that is null. */
const within = (of: string, beyond: string): string =>
  `nullif(nullif(greatest(least(${of}, ${beyond}), -${beyond}), ${beyond}), -${beyond})`;

const rounded = (x: string): string => `trunc(${x}) + trunc((${x} - trunc(${x})) * 2)`;

/** PostgreSQL fails where doubles overflow or vanish, so that is found out beforehand. */
function ofNumbers(op: string, left: string, right: string): string {
  const sides = { a: left, b: right };
  const most = '1.79e308';
  const quotient =
    'CASE WHEN b IS NULL THEN NULL WHEN a = 0 THEN 0 WHEN ln(abs(a)) - ln(abs(b)) > 709.7827128933 THEN NULL' +
    ' WHEN ln(abs(a)) - ln(abs(b)) < -745.133219 THEN 0 ELSE a / b END';
  switch (op) {
    case '*':
      return bound(
        sides,
        'CASE WHEN a IS NULL OR b IS NULL THEN NULL WHEN a = 0 OR b = 0 THEN 0 ' +
          'WHEN ln(abs(a)) + ln(abs(b)) > 709.7827128933 THEN NULL' +
          ' WHEN ln(abs(a)) + ln(abs(b)) < -745.133219 THEN 0 ELSE a * b END',
      );
    case '/':
      return bound({ a: left, b: `nullif(${right}, 0)` }, quotient);
    case 'div':
      return bound({ a: left, b: `nullif(${right}, 0)` }, `trunc(${quotient})`);
    case '%':
      return bound({ a: left, b: `nullif(${right}, 0)` }, `a - b * trunc(${quotient})`);
    case '^':
      return bound(
        sides,
        `CASE WHEN a IS NULL OR b IS NULL OR abs(b) > ${MOST_EXPONENT} THEN NULL` +
          ` WHEN a = 0 THEN CASE WHEN b < 0 THEN NULL WHEN b = 0 THEN 1 ELSE 0 END` +
          ` WHEN a < 0 AND b <> floor(b) THEN NULL` +
          ` WHEN b * ln(abs(a)) > ${POWER_BOUNDS.most} THEN NULL WHEN b * ln(abs(a)) < ${POWER_BOUNDS.least} THEN 0` +
          // A double becomes a numeric of 15 digits.
          ` ELSE power(a, b)::numeric::float8 END`,
      );
    default:
      return bound(
        sides,
        `CASE WHEN abs(a) < 1e307 AND abs(b) < 1e307 OR abs(a::numeric ${op} b::numeric) < ${most} THEN a ${op} b END`,
      );
  }
}
