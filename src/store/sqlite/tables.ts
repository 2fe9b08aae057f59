import type { FieldValue } from '../../core/model/scalar.ts';
import { isNested } from '../../core/model/types.ts';
import { keptChecks } from '../../core/tables/table.ts';
import type { Check, Column, Fill, Reference, Table } from '../../core/tables/table.ts';
import { decimalOfNumber, formatDecimal } from '../../core/text/decimal.ts';
import { checkSql } from '../sql/check.ts';
import { jointKeySql, referenceSql } from '../sql/constraints.ts';
import type { ConversionSpelling } from '../sql/converted.ts';
import { asFound } from '../sql/found.ts';
import { quoteName, quoteText } from '../sql/quote.ts';
import { ON_DELETE } from '../sql/tables.ts';
import { asText, converted } from './convert.ts';
import { units } from './dialect.ts';
import { sqliteForms } from './forms.ts';

export function columnType({ type, found }: Pick<Column, 'type' | 'found'>): string {
  if (found !== undefined) return found.type;
  switch (type) {
    case 'integer':
    case 'boolean':
    case 'decimal':
      return 'INTEGER';
    case 'number':
      return 'REAL';
    default:
      return 'TEXT';
  }
}

export function literal({ type }: Column, value: NonNullable<FieldValue>): string {
  if (isNested(type)) return quoteText(JSON.stringify(value));
  if (typeof value === 'boolean') return value ? '1' : '0';
  if (type === 'decimal') return String(units(value as string));
  return typeof value === 'number' ? String(value) : quoteText(value as string);
}

const NOW = "strftime('%Y-%m-%dT%H:%M:%fZ', 'now')";

export const fillText = (column: Column, fill: Fill): string =>
  asFound(column, fill === 'now' ? NOW : literal(column, fill.value), sqliteForms);

/** Decimals are kept in their smallest unit, and limits are compared with that. */
function limit({ type, scale }: Column, value: number): string {
  if (type !== 'decimal') return String(value);
  const exact = decimalOfNumber(value);
  if (exact.scale > scale) return formatDecimal({ digits: exact.digits, scale: exact.scale - scale });
  return String(exact.digits * 10n ** BigInt(scale - exact.scale));
}

/** A condition on `x`, a value of the column. */
export const checkText = (column: Column, check: Check, x: string): string =>
  checkSql(column, check, x, {
    length: (of) => `length(${of})`,
    literal,
    limit,
    rest: (of, step) => `${of} % ${step}`,
  });

const references = ({ table, key, onDelete: how }: Reference): string =>
  ` REFERENCES ${quoteName(table)} (${quoteName(key)}) ON DELETE ${ON_DELETE[how]}`;

/** Only a plain constant may come with a column that is added to rows. */
function usualText(column: Column): string {
  if (column.usual === undefined) return '';
  const value = fillText(column, column.usual);
  return ` DEFAULT ${column.usual === 'now' ? `(${value})` : value}`;
}

export function columnText(table: Table, column: Column): string {
  const name = quoteName(column.name);
  const key = column.name === table.primaryKey ? ` PRIMARY KEY${column.serial ? ' AUTOINCREMENT' : ''}` : '';
  const found = column.found?.more === undefined ? '' : ` ${column.found.more}`;
  const reference = table.references.find((one) => one.column === column.name && one.more === undefined);
  const conditions = keptChecks(column).map((check) => checkText(column, check, name));
  if (column.type === 'boolean' && column.found === undefined) conditions.push(`${name} IN (0, 1)`);
  return [
    `${name} ${columnType(column)}${column.nullable ? '' : ' NOT NULL'}${usualText(column)}${key}${found}`,
    ...conditions.map((condition) => ` CHECK (${condition})`),
    reference === undefined ? '' : references(reference),
  ].join('');
}

export function createTable(table: Table, name: string = table.name): string {
  const lines = [
    ...table.columns.map((column) => columnText(table, column)),
    ...(table.beside?.columns ?? []).map(({ name: column, words }) => `${quoteName(column)} ${words}`),
    ...jointKeySql(table, quoteName),
    ...table.references
      .filter(({ more }) => more !== undefined)
      .map((reference) => `${referenceSql(reference, quoteName)} ON DELETE ${ON_DELETE[reference.onDelete]}`),
    ...(table.beside?.checks ?? []).map((words) => `CHECK (${words})`),
  ];
  // Types that were found are not among those that a strict table knows.
  const isStrict = table.beside === undefined && table.columns.every(({ found }) => found === undefined);
  return `CREATE TABLE ${quoteName(name)} (\n  ${lines.join(',\n  ')}\n)${isStrict ? ' STRICT' : ''}`;
}

export const conversions: ConversionSpelling = {
  forms: sqliteForms,
  converted,
  check: checkText,
  text: asText,
  fill: fillText,
  // There is no error to raise in a plain statement; text that is not JSON makes one.
  failure: ({ name }, x) => `json(${x} || ${quoteText(` does not fit ${name}`)})`,
};
