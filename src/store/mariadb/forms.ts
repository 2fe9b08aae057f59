import type { Form, Forms } from '../../core/sql/form.ts';
import { COLLATION } from './bound.ts';

const asIs = (value: string): string => value;
const text = (column: string): string => `(CONVERT(${column} USING utf8mb4) COLLATE ${COLLATION})`;
const moment = (column: string): string => `CAST(${column} AS DATETIME(3))`;
const time = (column: string): string => `CAST(${column} AS TIME(3))`;

/** `["a","b"]` as `a,b`: a set has no values with commas. */
function members(json: string): string {
  const bare = `REPLACE(REPLACE(REPLACE(JSON_COMPACT(${json}), '","', ','), '["', ''), '"]', '')`;
  return `REPLACE(${bare}, '[]', '')`;
}

const forms: Readonly<Record<string, Form>> = {
  /** Text in another order of letters than by code points, or in another character set. */
  text: { read: text, write: asIs, ordered: true },
  'other letters': { read: text, write: asIs },
  set: {
    read: (column) =>
      `(CASE ${column} + 0 WHEN 0 THEN '[]' ELSE CONCAT('["', REPLACE(${text(column)}, ',', '","'), '"]') END)`,
    write: members,
  },
  bit: { read: (column) => `(${column} + 0)`, write: (value) => `(${value} + 0)` },
  float: { read: (column) => `CAST(CAST(${column} AS CHAR) AS DOUBLE)`, write: asIs },
  year: { read: (column) => `(${column} + 0)`, write: asIs, ordered: true },
  moment: { read: moment, write: asIs, ordered: true },
  'long moment': { read: moment, write: asIs },
  time: { read: time, write: asIs, ordered: true },
  'long time': { read: time, write: asIs },
};

/** How columns are spelled of tables that were there before the models. */
export const mariadbForms: Forms = new Map(Object.entries(forms));
