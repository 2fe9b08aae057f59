import { MOST_INTEGER } from '../../core/expression/numbers.ts';
import type { Kind, ValueKind } from '../../core/model/expression.ts';
import type { ExpressionDialect } from '../../core/sql/expression-dialect.ts';
import { lettersTable } from '../../core/tables/own-tables.ts';
import { formatDecimal } from '../../core/text/decimal.ts';
import { aggregateSql, boundOf, integerBound, powerSql, within } from '../sql/bounds.ts';
import { quoteName, quoteText } from '../sql/quote.ts';
import { keyOfTextSql, keyTexts, likePattern, plainPart } from '../sql/texts.ts';
import { bound, COLLATION, TYPES } from './bound.ts';
import type { ColumnType } from './bound.ts';
import { mariadbCalendar } from './calendar.ts';
import { mariadbForms } from './forms.ts';

/** Functions of JSON answer in another order of letters, and orders don't mix. */
export const asText = (of: string): string => `(CONVERT(${of} USING utf8mb4) COLLATE ${COLLATION})`;

export function typed(of: string, { kind, scale }: ValueKind): string {
  switch (kind) {
    case 'integer':
      return `CAST(${of} AS SIGNED)`;
    case 'decimal':
      return `CAST(${of} AS DECIMAL(40,${scale}))`;
    case 'number':
      return `CAST(${of} AS DOUBLE)`;
    case 'boolean':
      return `(${of} IN (1, 'true'))`;
    case 'date':
      return `CAST(${of} AS DATE)`;
    case 'time':
      return `CAST(${of} AS TIME(3))`;
    case 'date-time':
      return `CAST(${of} AS DATETIME(3))`;
    default:
      return asText(of);
  }
}

export const pathOf = (path: readonly string[]): string =>
  quoteText(`$${path.map((name) => `.${JSON.stringify(name)}`).join('')}`);

/** What stands at a path: of an array or an object the text itself, without blanks put in. */
export const standsAt = (json: string, path: string): string =>
  asText(`coalesce(JSON_QUERY(${json}, ${path}), JSON_EXTRACT(${json}, ${path}))`);

/** The types that values pass through where a formula needs one of them twice. */
const COLUMN: Readonly<Partial<Record<Kind, ColumnType>>> = {
  integer: 'integer',
  decimal: 'decimal',
  number: 'double',
  date: 'date',
  'date-time': 'moment',
};

function columnOf({ kind, scale }: ValueKind): string {
  if (kind === 'decimal') return `DECIMAL(40,${scale})`;
  if (kind === 'boolean') return 'TINYINT';
  return kind === 'time' ? 'TIME(3)' : TYPES[COLUMN[kind] ?? 'text'];
}

/** A text, and JSON, which would be an array or an object inside of an array. */
const isPlain = ({ kind }: ValueKind): boolean => COLUMN[kind] === undefined && kind !== 'boolean' && kind !== 'time';

/**
 * Whole numbers and decimals are worked with as decimals, which can't overflow here; MariaDB fails where doubles do, so
 * that is found out beforehand.
 */
export const mariadbExpressions: ExpressionDialect = {
  isFlat: true,
  name: quoteName,
  forms: mariadbForms,
  parameter: (type, placeholder) => (type.kind === 'boolean' ? `(${placeholder} = 1)` : typed(placeholder, type)),

  inside(column, path, type) {
    if (type.kind === 'json') return `nullif(${asText(`JSON_EXTRACT(${column}, ${pathOf(path)})`)}, 'null')`;
    return typed(`JSON_VALUE(${column}, ${pathOf(path)})`, type);
  },

  open(json, { kind, scale }) {
    const types = kind === 'text' ? `'STRING'` : kind === 'number' ? `'INTEGER', 'DOUBLE'` : `'BOOLEAN'`;
    const value = typed(`JSON_VALUE(x, '$')`, { kind, scale });
    return bound({ x: [json, 'text'] }, `CASE WHEN JSON_TYPE(x) IN (${types}) THEN ${value} END`);
  },

  keyOfText: (type, text) => keyOfTextSql(type.kind, text, 'REGEXP', (of) => typed(of, type)),

  joinedKey: (values) => asText(`CONCAT(${keyTexts(values, (sql) => `CONCAT(${sql})`).join(', ')})`),

  partOfKey: (key, at) => plainPart(`SUBSTRING_INDEX(SUBSTRING_INDEX(${key}, ',', ${at + 1}), ',', -1)`),

  beside(values) {
    const given = values.map(({ type, value }) => (isPlain(type) ? `CONCAT(${value}, '')` : value));
    const columns = values.map(({ name, type }, at) => `${quoteName(name)} ${columnOf(type)} PATH '$[${at}]'`);
    return `JSON_TABLE(JSON_ARRAY(${given.join(', ')}), '$' COLUMNS (${columns.join(', ')}))`;
  },

  items(array, items) {
    const type = columnOf(items);
    const from = `JSON_TABLE(${array}, '$[*]' COLUMNS (v ${type} PATH '$')) AS items`;
    return `SELECT items.v AS v FROM ${from} WHERE items.v IS NOT NULL`;
  },

  convert(of, from, to, bounded) {
    const kept = (value: string): string => (bounded ? within(value, boundOf(to)) : value);
    if (to.kind === 'date-time') return `CAST(${of} AS DATETIME(3))`;
    if (from.kind === 'decimal') {
      if (to.kind === 'number') return `(CAST((${of}) * 1${'0'.repeat(from.scale)} AS DOUBLE) / 1e${from.scale})`;
      const units = `round(${of}, ${to.scale})`;
      return to.kind === 'integer' ? within(units, integerBound) : kept(units);
    }
    if (to.kind === 'decimal') {
      if (from.kind === 'integer') return kept(`CAST(${of} AS DECIMAL(40,0))`);
      const unit = formatDecimal({ digits: 1n, scale: to.scale });
      return bound(
        { x: [`(${of}) * 1e${to.scale}`, 'double'] },
        `CASE WHEN abs(x) <= 999999999999999900e0 THEN CAST(${rounded('x')} AS DECIMAL(40,0)) * ${unit} END`,
      );
    }
    if (to.kind === 'integer') {
      return bound(
        { x: [of, 'double'] },
        `CASE WHEN abs(x) <= ${MOST_INTEGER}e0 THEN CAST(${rounded('x')} AS DECIMAL(40,0)) END`,
      );
    }
    return to.kind === 'number' ? `CAST(${of} AS DOUBLE)` : of;
  },

  arithmetic(op, left, right, operands, result) {
    if (operands === 'number') return ofNumbers(op, left, right);
    const most = boundOf(result);
    const type = operands === 'integer' ? 'integer' : 'decimal';
    if (op === 'div') {
      const sides = { a: [left, type], b: [right, type] } as const;
      // The rest is taken off first: MariaDB rounds a quotient.
      return within(bound(sides, 'round((a - a % b) / b, 0)'), most);
    }
    const side = operands === 'integer' ? `CAST(${left} AS DECIMAL(20,0))` : left;
    // The rest of a negative decimal may be a zero below zero, which is no other zero.
    return within(op === '%' ? `(${side} % ${right} + 0)` : `(${side} ${op} ${right})`, most);
  },

  like: (of, pattern, place) => `(${of} LIKE ${asText(place(likePattern(pattern, '!')))} ESCAPE '!')`,

  letters(change, of) {
    const ascii = (x: string): string => (change === 'accenti' ? x : `${change}(${x})`.replace('casei', 'lower'));
    // Each letter has eight digits: it is found without a look at those before it.
    const letter = asText(`CONVERT(UNHEX(substr(h, c.i * 8 - 7, 8)) USING utf32)`);
    const places = `JSON_TABLE(CONCAT('[', repeat('0,', char_length(x) - 1), '0]'), '$[*]' COLUMNS (i FOR ORDINALITY))`;
    const each =
      `SELECT group_concat(coalesce(l.${quoteName(change)}, ${ascii(letter)}) ORDER BY c.i SEPARATOR '')` +
      ` FROM ${places} AS c LEFT JOIN ${quoteName(lettersTable.name)} AS l ON l.letter = ${letter}`;
    const formula = `CASE WHEN x REGEXP '[^\\x01-\\x7f]' THEN (${each}) ELSE ${ascii('x')} END`;
    return bound({ x: [of, 'text'] }, formula, { h: ['HEX(CONVERT(x USING utf32))', 'digits'] });
  },

  length: (of) => `char_length(${of})`,

  ...mariadbCalendar,

  aggregate: aggregateSql,
};

const rounded = (x: string): string => `truncate(${x}, 0) + truncate((${x} - truncate(${x}, 0)) * 2, 0)`;

const MOST_LN = '709.7827128933e0';
const LEAST_LN = '-745.133219e0';

/** What is worked out, where the logarithm of its magnitude lies within that of doubles; 0 below, null beyond. */
const inRange = (ln: string, value: string): string =>
  `WHEN ${ln} > ${MOST_LN} THEN NULL WHEN ${ln} < ${LEAST_LN} THEN 0e0 ELSE ${value} END`;

function ofNumbers(op: string, left: string, right: string): string {
  const sides = { a: [left, 'double'], b: [right, 'double'] } as const;
  const quotient =
    'CASE WHEN b IS NULL OR b = 0 THEN NULL WHEN a = 0 THEN 0e0 ' + inRange('ln(abs(a)) - ln(abs(b))', 'a / b');
  switch (op) {
    case '*':
      return bound(
        sides,
        'CASE WHEN a IS NULL OR b IS NULL THEN NULL WHEN a = 0 OR b = 0 THEN 0e0 ' +
          inRange('ln(abs(a)) + ln(abs(b))', 'a * b'),
      );
    case '/':
      return bound(sides, quotient);
    case 'div':
      return bound(sides, 'truncate(q, 0)', { q: [quotient, 'double'] });
    case '%':
      return bound(sides, 'a - b * truncate(q, 0)', { q: [quotient, 'double'] });
    case '^':
      return bound(sides, powerSql('power(a, b)'));
    default:
      return bound(sides, `CASE WHEN abs(a / 2 ${op} b / 2) < 0.895e308 THEN a ${op} b END`);
  }
}
