import { MOST_INTEGER } from '../../core/expression/numbers.ts';
import type { Kind } from '../../core/model/expression.ts';
import type { ExpressionDialect } from '../../core/sql/expression-dialect.ts';
import { lettersTable } from '../../core/tables/own-tables.ts';
import { aggregateSql, boundOf, integerBound, powerSql, within } from '../sql/bounds.ts';
import { quoteName, quoteText } from '../sql/quote.ts';
import { keyOfTextSql, keyTexts, likePattern, plainPart } from '../sql/texts.ts';
import { bound } from './bound.ts';
import { postgresCalendar } from './calendar.ts';
import { postgresForms } from './forms.ts';

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
  forms: postgresForms,
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
  keyOfText: ({ kind }, text) => keyOfTextSql(kind, text, '~', (of) => typed(of, kind)),
  joinedKey: (values) => `((${keyTexts(values, (sql) => `CAST(${sql} AS text)`).join(' || ')}) COLLATE "C")`,
  partOfKey: (key, at) => plainPart(`split_part(${key}, ',', ${at + 1})`),
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

  like: (of, pattern, place) => `(${of} LIKE ${typed(place(likePattern(pattern, '\\')), 'text')} ESCAPE '\\')`,

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

  aggregate: aggregateSql,
};

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
      // A double becomes a numeric of 15 digits.
      return bound(sides, powerSql('power(a, b)::numeric::float8'));
    default:
      return bound(
        sides,
        `CASE WHEN abs(a) < 1e307 AND abs(b) < 1e307 OR abs(a::numeric ${op} b::numeric) < ${most} THEN a ${op} b END`,
      );
  }
}
