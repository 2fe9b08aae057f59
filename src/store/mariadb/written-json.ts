import type { Row, StoreValue } from '../../core/sql/statement.ts';
import { shortDouble } from '../sql/double.ts';
import { COLLATION } from './bound.ts';

/** Stands for JSON that is longer than the server puts together: no JSON has such a letter. */
export const TOO_LONG = '\u0001';
/** The same in SQL, without a letter that nobody sees where statements are shown. */
export const TOO_LONG_SQL = `_utf8mb4 X'01' COLLATE ${COLLATION}`;

/** Whether an answer is not whole: some of it was left out, or it was cut at the most bytes that the server gives. */
export const isCut = (rows: readonly Row[], most: number): boolean =>
  rows.some((row) =>
    row.some((value) => typeof value === 'string' && (value.includes(TOO_LONG) || isAtMost(value, most))),
  );

/** A letter has four bytes at most, and may have been cut in its middle. */
const isAtMost = (text: string, most: number): boolean =>
  text.length >= most / 4 - 1 && Buffer.byteLength(text) >= most - 4;

/** What is not as every store writes it: the escapes of MariaDB's JSON, and doubles that are marked by such a one. */
const SIGN = '\\u00';
/** A marked double, or an escape: one that is no Unicode escape stays, so that none begins in its middle. */
const PART = /"\\u0000([^"]+)"|\\(?:u([0-9A-Fa-f]{4})|.)/gs;

/** A row whose JSON texts are written like those of every other store. */
export const asWritten = (row: Row): Row => (row.some(isOff) ? row.map(written) : row);

/** Begins as JSON does: keys stand beside it as they are. */
const JSON_TEXT = /^[{["]/;

const isOff = (value: StoreValue): value is string =>
  typeof value === 'string' && value.includes(SIGN) && JSON_TEXT.test(value);

const written = (value: StoreValue): StoreValue =>
  isOff(value)
    ? value.replaceAll(PART, (part: string, double: string | undefined, code: string | undefined) => {
        if (double !== undefined) return shortDouble(Number(double));
        return code === undefined ? part : `\\u${code.toLowerCase()}`;
      })
    : value;
