import type { Row, StoreValue } from '../../core/sql/statement.ts';
import { shortDouble } from '../sql/double.ts';

/*
 * SQLite cannot write the shortest digits of every double: it rounds some of them wrongly, half-way between two
 * values. So only doubles that it writes safely are plain numbers in its JSON. Any other double leaves it with more
 * digits than it needs, marked by a character that no stored text can contain, and is written in full when the row
 * arrives.
 */

/** The JSON of a double. */
export const doubleJson = (x: string): string =>
  `CASE WHEN abs(${x}) < 1e15 AND ${x} = CAST(${x} AS INTEGER) THEN printf('%d', ${x})` +
  // A whole number of millionths, divided, is the double nearest to that decimal: most numbers of people are such.
  ` WHEN abs(${x}) BETWEEN 1e-4 AND 1e9 AND round(${x} * 1e6) / 1e6 = ${x} THEN printf('%!.15g', ${x})` +
  ` ELSE printf('"\\u0000%!.18g"', ${x}) END`;

const MARK = '"\\u0000';
const MARKED = /"\\u0000([^"]+)"/g;

/** Whether a statement makes JSON of doubles. */
export const hasDoubles = (sql: string): boolean => sql.includes(MARK);

/** A row whose JSON texts have all their numbers. */
export const withDoubles = (row: Row): Row => (row.some(isMarked) ? row.map(written) : row);

const isMarked = (value: StoreValue): value is string => typeof value === 'string' && value.includes(MARK);

const written = (value: StoreValue): StoreValue =>
  isMarked(value) ? value.replaceAll(MARKED, (_marked, digits: string) => shortDouble(Number(digits))) : value;

/** The text of a double, where it is no JSON: the fewest digits that SQLite itself reads back as the same. */
export const doubleText = (x: string): string =>
  `CASE WHEN abs(${x}) < 1e15 AND ${x} = CAST(${x} AS INTEGER) THEN printf('%d', ${x})` +
  ` WHEN CAST(printf('%!.15g', ${x}) AS REAL) = ${x} THEN printf('%!.15g', ${x})` +
  ` WHEN CAST(printf('%!.16g', ${x}) AS REAL) = ${x} THEN printf('%!.16g', ${x})` +
  ` ELSE printf('%!.17g', ${x}) END`;
