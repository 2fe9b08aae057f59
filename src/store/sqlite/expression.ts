import { MOST_EXPONENT, MOST_INTEGER, MOST_UNITS, POWER_BOUNDS } from '../../core/expression/numbers.ts';
import type { ExpressionDialect } from '../../core/sql/expression-dialect.ts';
import { lettersTable } from '../../core/tables/own-tables.ts';
import { quoteName, quoteText } from '../sql/quote.ts';
import { keyTexts, plainPart } from '../sql/texts.ts';
import { bound } from './bound.ts';
import { sqliteCalendar } from './calendar.ts';
import { sqliteForms } from './forms.ts';

/**
 * Decimals are whole numbers of their smallest unit, booleans 1 and 0, dates and times text. Nothing here repeats the
 * text of an operand, which would make nested expressions grow without bound: where a formula needs an operand twice,
 * it is bound to a name first.
 */
export const sqliteExpressions: ExpressionDialect = {
  // SQLite's parser has room for some thirty levels, the statement's own among them.
  deepest: 8,
  name: quoteName,
  forms: sqliteForms,

  parameter(type, placeholder) {
    // The driver binds JavaScript's numbers as doubles.
    if (['integer', 'decimal', 'boolean'].includes(type.kind)) return `CAST(${placeholder} AS INTEGER)`;
    return type.kind === 'number' ? `CAST(${placeholder} AS REAL)` : placeholder;
  },

  inside(column, path, type) {
    if (type.kind === 'json') {
      const steps = path.map((name) => ` -> ${quoteText(`$.${JSON.stringify(name)}`)}`).join('');
      return `nullif(${column}${steps}, 'null')`;
    }
    const value = `json_extract(${column}, ${quoteText(`$.${path.map((name) => `"${name}"`).join('.')}`)})`;
    if (type.kind === 'decimal') return `CAST(replace(${value}, '.', '') AS INTEGER)`;
    return type.kind === 'number' ? `CAST(${value} AS REAL)` : value;
  },

  open(json, { kind }) {
    const value = kind === 'number' ? `CAST(x ->> '$' AS REAL)` : `x ->> '$'`;
    const types = kind === 'number' ? `'integer', 'real'` : kind === 'text' ? `'text'` : `'true', 'false'`;
    return bound({ x: json }, `CASE WHEN json_type(x) IN (${types}) THEN ${value} END`);
  },

  keyOfText: ({ kind }, text) => (kind === 'integer' ? `CAST(${text} AS INTEGER)` : text),

  joinedKey: (values) => `(${keyTexts(values, (sql) => `CAST(${sql} AS TEXT)`).join(' || ')})`,

  partOfKey(key, at) {
    let rest = `${key} || ','`;
    for (let passed = 0; passed < at; passed += 1) rest = bound({ x: rest }, `substr(x, instr(x, ',') + 1)`);
    return plainPart(bound({ x: rest }, `substr(x, 1, instr(x, ',') - 1)`));
  },

  items(array, items) {
    if (items.kind === 'decimal') {
      return `SELECT CAST(replace(value, '.', '') AS INTEGER) AS v FROM json_each(${array}) WHERE value IS NOT NULL`;
    }
    return (
      `SELECT ${items.kind === 'number' ? 'CAST(value AS REAL)' : 'value'} AS ` +
      `v FROM json_each(${array}) WHERE value IS NOT NULL`
    );
  },

  convert(of, from, to, bounded) {
    const kept = (units: string): string => (bounded ? within(units, String(MOST_UNITS)) : units);
    if (to.kind === 'date-time') return `(${of} || 'T00:00:00.000Z')`;
    if (from.kind === 'decimal') {
      if (to.kind === 'number') return `(CAST(${of} AS REAL) / 1e${from.scale})`;
      const units = rescaled(of, from.scale, to.scale);
      return to.kind === 'integer' ? within(units, String(MOST_INTEGER)) : kept(units);
    }
    if (to.kind === 'decimal') {
      if (from.kind === 'integer') return kept(`(${of} * ${10n ** BigInt(to.scale)})`);
      return rounded(`(${of} * 1e${to.scale})`, '999999999999999900');
    }
    if (to.kind === 'integer') return rounded(of, String(MOST_INTEGER));
    return to.kind === 'number' ? `CAST(${of} AS REAL)` : of;
  },

  arithmetic(op, left, right, operands, result) {
    if (operands === 'number') return ofNumbers(op, left, right);
    const sign = op === 'div' ? '/' : op;
    const divisor = op === 'div' || op === '%' ? `nullif(${right}, 0)` : right;
    const most = result.kind === 'integer' ? String(MOST_INTEGER) : String(MOST_UNITS);
    return within(`(${left} ${sign} ${divisor})`, most);
  },

  like(of, pattern, place) {
    // GLOB minds the case of letters, LIKE doesn't.
    const glob = pattern.map((part) =>
      part === 'any' ? '*' : part === 'one' ? '?' : part.text.replace(/[*?[]/g, (sign) => `[${sign}]`),
    );
    return `(${of} GLOB ${place(glob.join(''))})`;
  },

  letters(change, of) {
    const ascii = (x: string): string => (change === 'accenti' ? x : `${change === 'upper' ? 'upper' : 'lower'}(${x})`);
    // The text is halved until a piece is a single letter, or has none beyond ASCII: to cut off one letter after the
    // other would copy the rest of it each time.
    const half =
      `iif(h.late, c.at + c.n / 2, c.at), iif(h.late, c.n - c.n / 2, c.n / 2),` +
      ` iif(h.late, substr(c.piece, c.n / 2 + 1), substr(c.piece, 1, c.n / 2))`;
    const folded =
      `WITH RECURSIVE c(at, n, piece) AS (SELECT 0, length(x), x UNION ALL SELECT ${half}` +
      ` FROM c JOIN (SELECT 0 AS late UNION ALL SELECT 1) AS h WHERE c.n > 1 AND c.piece ${BEYOND_ASCII})` +
      ` SELECT group_concat(coalesce(l.${quoteName(change)}, ${ascii('c.piece')}), '' ORDER BY c.at)` +
      ` FROM c LEFT JOIN ${quoteName(lettersTable.name)} AS l ON l.letter = c.piece` +
      ` WHERE c.n = 1 OR c.piece NOT ${BEYOND_ASCII}`;
    return bound({ x: of }, `CASE WHEN x ${BEYOND_ASCII} THEN (${folded}) ELSE ${ascii('x')} END`);
  },

  length: (of) => `length(${of})`,

  ...sqliteCalendar,

  aggregate(op, column, result) {
    if (op === 'min' || op === 'max') return `${op}(${column})`;
    if (op === 'avg') return finite(`(total(${column}) / nullif(count(${column}), 0))`);
    if (result.kind === 'number') return finite(`sum(${column})`);
    // In two halves, because SQLite's own sum of integers fails where it overflows.
    const most = result.kind === 'integer' ? String(MOST_INTEGER) : String(MOST_UNITS);
    const halves = { high: `sum(${column} >> 32)`, low: `sum(${column} & 4294967295)` };
    return within(
      bound(halves, 'CASE WHEN high BETWEEN -1000000000 AND 1000000000 THEN high * 4294967296 + low END'),
      most,
    );
  },
};

/** True of a text with a letter that SQLite's own functions don't know. */
const BEYOND_ASCII = `GLOB '*[^' || char(1) || '-' || char(127) || ']*'`;

/** Null where a whole number lies beyond ±most: cut to just beyond, and that is null. */
function within(of: string, most: string): string {
  const beyond = String(BigInt(most) + 1n);
  return `nullif(nullif(max(min(${of}, ${beyond}), -${beyond}), ${beyond}), -${beyond})`;
}

/** SQLite's infinities and what is no number at all: the latter it takes for null itself. */
const finite = (of: string): string => `nullif(nullif(${of}, 9e999), -9e999)`;

/** Towards zero; doubles of 2^53 and more are whole anyway. */
const trunc = (name: string): string =>
  `(CASE WHEN abs(${name}) < 9007199254740992 THEN CAST(CAST(${name} AS INTEGER) AS REAL) ELSE ${name} END)`;

/** Half away from zero; null beyond ±most. */
function rounded(of: string, most: string): string {
  const beyond = String(BigInt(most) + 1n);
  const whole = `w + CASE WHEN (x - w) * 2 >= 1 THEN 1 WHEN (x - w) * 2 <= -1 THEN -1 ELSE 0 END`;
  const kept = `CAST(CASE WHEN y > -${beyond} AND y < ${beyond} THEN y END AS INTEGER)`;
  return bound({ x: of }, kept, { x: 'x', w: trunc('x') }, { y: whole });
}

function rescaled(of: string, from: number, to: number): string {
  if (to >= from) return `(${of} * ${10n ** BigInt(to - from)})`;
  const unit = 10n ** BigInt(from - to);
  return bound({ x: of }, `x / ${unit} + (x % ${unit}) * 2 / ${unit}`);
}

function ofNumbers(op: string, left: string, right: string): string {
  switch (op) {
    case '/':
      return finite(`(${left} / nullif(${right}, 0.0))`);
    case 'div':
      return bound({ q: finite(`(${left} / nullif(${right}, 0.0))`) }, trunc('q'));
    case '%': {
      const both = { a: 'a', b: 'b' };
      const quotient = finite('(a / nullif(b, 0.0))');
      return bound({ a: left, b: right }, finite('a - b * w'), { ...both, q: quotient }, { ...both, w: trunc('q') });
    }
    case '^':
      return bound(
        { a: left, b: right },
        `CASE WHEN a IS NULL OR b IS NULL OR abs(b) > ${MOST_EXPONENT} THEN NULL` +
          ` WHEN a = 0 THEN CASE WHEN b < 0 THEN NULL WHEN b = 0 THEN 1.0 ELSE 0.0 END` +
          ` WHEN a < 0 AND b <> floor(b) THEN NULL` +
          ` WHEN b * log(abs(a)) > ${POWER_BOUNDS.most} THEN NULL WHEN b * ` +
          `log(abs(a)) < ${POWER_BOUNDS.least} THEN 0.0` +
          ` ELSE CAST(printf('%!.14e', power(a, b)) AS REAL) END`,
      );
    default:
      return finite(`(${left} ${op} ${right})`);
  }
}
