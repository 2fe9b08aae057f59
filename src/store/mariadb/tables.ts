import type { FieldValue } from '../../core/model/scalar.ts';
import { isNested, isWritten } from '../../core/model/types.ts';
import { isOwn } from '../../core/tables/own-tables.ts';
import { keptChecks } from '../../core/tables/table.ts';
import type { Check, Column, Fill, Found, Index, Reference, Table } from '../../core/tables/table.ts';
import { checkSql } from '../sql/check.ts';
import { checkName, jointKeySql, limitText, referenceName, referenceSql } from '../sql/constraints.ts';
import { asFound } from '../sql/found.ts';
import { quoteName as name, quoteText } from '../sql/quote.ts';
import { isIn } from '../../core/tables/schema-diff.ts';
import { ON_DELETE } from '../sql/tables.ts';
import { COLLATION } from './bound.ts';
import { mariadbForms } from './forms.ts';

/** As many digits as whole numbers of 64 bits hold: the same bound on every store. */
const MOST_DIGITS = 18;
/** Bytes of the columns of one index, and of a character. */
const INDEXED = 3_072;
const A_CHARACTER = 4;
/** The most characters of a text that may stand in an index whole. */
const WHOLE = 700;
/** Characters of a key that is a text, where its model sets no bound, and of what the tool keeps by keys. */
const KEY = 255;
const OWN = 200;
/** Of a longer text, so many characters stand in an index. */
const BEGINNING = 190;

/**
 * Tables are found by the first characters of long texts only, and no key may be one: a text with a bound has a type
 * with that bound, and one that stands in an index gets one.
 */
export function columnType(table: Table, column: Column): string {
  const { type, scale, found } = column;
  if (found !== undefined) return found.type;
  switch (type) {
    case 'integer':
      return 'bigint';
    case 'number':
      return 'double';
    case 'boolean':
    case 'date':
      return type;
    case 'decimal':
      return `decimal(${MOST_DIGITS},${scale})`;
    case 'time':
      return 'time(3)';
    case 'date-time':
      return 'datetime(3)';
    case 'uuid':
      // The type of that name has an order of its own.
      return 'char(36)';
    default: {
      const most = isNested(type) ? undefined : lengthIn(table, column);
      return most === undefined ? 'longtext' : `varchar(${most})`;
    }
  }
}

function lengthIn(table: Table, column: Column): number | undefined {
  if (column.found !== undefined) return foundLength(column.found);
  const bound = setBound(table, column);
  if (bound !== undefined) return bound <= WHOLE ? Math.max(1, bound) : undefined;
  const among = indexesWith(table, column);
  if (among.length === 0) return undefined;
  if (isOwn(table.name)) return OWN;
  const isUnique = among.some((index) => !table.indexes.includes(index));
  if (column.type === 'text' && !isUnique) return undefined;
  const room = Math.min(WHOLE, ...among.map((index) => roomIn(table, index)));
  return room < BEGINNING ? undefined : room;
}

/** Of a text that was found, what its type says. */
function foundLength({ type }: Found): number | undefined {
  const most = /^(?:var)?char\((\d+)\)/i.exec(type)?.[1];
  return most === undefined ? undefined : Number(most);
}

/** The bound of a text that its own rules or its place set; undefined where its indexes do. */
function setBound(table: Table, column: Column): number | undefined {
  if (column.found !== undefined) return foundLength(column.found) ?? WHOLE;
  const isReference = table.references.some((one) => one.more === undefined && one.column === column.name);
  return boundOf(column) ?? (column.name === table.primaryKey || isReference ? KEY : undefined);
}

const indexesWith = (table: Table, { name: called }: Column): Index[] =>
  [...keyIndex(table), ...table.unique, ...table.indexes].filter(({ columns }) => columns.includes(called));

/** A key of several columns is an index like others. */
const keyIndex = ({ jointKey }: Table): Index[] =>
  jointKey === undefined ? [] : [{ name: 'PRIMARY', columns: jointKey, descending: [] }];

/** Characters for each text of an index that has no bound of its own: they share what others leave. */
function roomIn(table: Table, index: Index): number {
  const columns = table.columns.filter((column) => index.columns.includes(column.name));
  const open = columns.filter((column) => isText(column) && setBound(table, column) === undefined);
  const others = columns.filter((column) => !open.includes(column)).map((column) => bytesOf(table, column));
  const left = INDEXED - others.reduce((sum, bytes) => sum + bytes, 0);
  return Math.floor((left / open.length - TEXT_BESIDE) / A_CHARACTER);
}

/** Bytes in an index: a text has its length beside it, and whatever may be null a mark. */
const TEXT_BESIDE = 3;
function bytesOf(table: Table, column: Column): number {
  if (column.type === 'uuid') return 36 * A_CHARACTER + 1;
  if (!isText(column)) return 10;
  const bound = setBound(table, column)!;
  return (bound <= WHOLE ? bound : BEGINNING) * A_CHARACTER + TEXT_BESIDE;
}

const isText = ({ type, found }: Column): boolean =>
  isWritten(type) && (found === undefined || /char|text/i.test(found.type));

function boundOf({ width, checks }: Column): number | undefined {
  for (const check of checks) {
    if (check.rule === 'maxLength') return check.limit;
    if (check.rule === 'enum') return Math.max(...check.values.map((value) => [...String(value)].length));
  }
  return width;
}

export function literal({ type }: Pick<Column, 'type'>, value: NonNullable<FieldValue>): string {
  if (isNested(type) || typeof value === 'object') return quoteText(JSON.stringify(value));
  if (type === 'date-time') return quoteText(String(value).replace('T', ' ').replace('Z', ''));
  return typeof value === 'string' && type !== 'decimal' ? quoteText(value) : String(value);
}

export const fillText = (column: Column, fill: Fill): string =>
  asFound(column, fill === 'now' ? 'current_timestamp(3)' : literal(column, fill.value), mariadbForms);

/** A condition on `x`, a value of the column. */
export const checkText = (column: Column, check: Check, x: string): string =>
  checkSql(column, check, x, {
    length: (of) => `char_length(${of})`,
    literal,
    limit: limitText,
    // What -3.00 leaves is -0.00, which is not 0 before something is added to it.
    rest: (of, step) => `${of} % ${step} + 0`,
  });

const constraint = (table: Table, column: Column, check: Check): string =>
  `CONSTRAINT ${name(checkName(table.name, column.name, check))} CHECK ` +
  `(${checkText(column, check, name(column.name))})`;

export const alter = (table: Table, what: string): string => `ALTER TABLE ${name(table.name)} ${what}`;

/** As MariaDB itself writes it. */
export const referenceText = (
  table: Table,
  reference: Reference,
  called = referenceName(table.name, reference),
): string =>
  `CONSTRAINT ${name(called)} ${referenceSql(reference, name)}` +
  (reference.onDelete === 'restrict' ? '' : ` ON DELETE ${ON_DELETE[reference.onDelete]}`);

export const addReference = (table: Table, reference: Reference): string =>
  alter(table, `ADD ${referenceText(table, reference)}`);

/** Some types that were found take no null where nobody says so; what the database works out can't say it. */
const nullWord = ({ found }: Column): string => (found === undefined || found.isMade === true ? '' : ' NULL');

/** A column as it is when it has its rules: all but the checks. */
export const wholeColumn = (
  table: Table,
  column: Column,
  isNull = column.nullable,
  type = columnType(table, column),
): string =>
  `${name(column.name)} ${type}${isNull ? nullWord(column) : ' NOT NULL'}` +
  (column.serial ? ' AUTO_INCREMENT' : '') +
  (column.usual === undefined ? '' : ` DEFAULT ${fillText(column, column.usual)}`) +
  (column.found?.more === undefined ? '' : ` ${column.found.more}`);

/** Without its references, because tables may refer to each other in a circle. */
export function createTable(table: Table, words = 'CREATE TABLE', called = table.name): string {
  const lines = table.columns.map(
    (column) => wholeColumn(table, column) + (column.name === table.primaryKey ? ' PRIMARY KEY' : ''),
  );
  const checks = table.columns.flatMap((column) => keptChecks(column).map((check) => constraint(table, column, check)));
  const indexes = [...table.unique, ...table.indexes].map((index) => indexText(table, index));
  return (
    `${words} ${name(called)} (\n  ${[...lines, ...jointKeySql(table, name), ...indexes, ...checks].join(',\n  ')}\n)` +
    ` DEFAULT CHARSET = utf8mb4 COLLATE = ${COLLATION}`
  );
}

/** An index as it stands in a table, or is added to one. */
export function indexText(table: Table, index: Index): string {
  const kind = isIn(index, table.unique) ? 'UNIQUE KEY' : 'KEY';
  const texts = table.columns.filter((column) => isText(column) && index.columns.includes(column.name));
  const widths = new Map(texts.map((column) => [column.name, lengthIn(table, column) ?? Infinity]));
  const others = table.columns.filter((column) => !isText(column) && index.columns.includes(column.name));
  const whole = [
    ...others.map((column) => bytesOf(table, column)),
    ...[...widths.values()].map((width) => width * A_CHARACTER + TEXT_BESIDE),
  ].reduce((sum, bytes) => sum + bytes, 0);
  const columns = index.columns.map((column) => {
    const isCut = kind === 'KEY' && whole > INDEXED && (widths.get(column) ?? 0) > BEGINNING;
    return name(column) + (isCut ? `(${BEGINNING})` : '') + (index.descending.includes(column) ? ' DESC' : '');
  });
  return `${kind} ${name(index.name)} (${columns.join(', ')})`;
}
