import type { Form, Forms } from '../../core/sql/form.ts';

const asIs = (value: string): string => value;
const text = (column: string): string => `(${column}::text COLLATE "C")`;
/** Times are kept to the microsecond, and told to the millisecond. */
const exactly = (moment: string): string => `date_trunc('milliseconds', ${moment})`;
const inUtc = (column: string): string => `(${column} AT TIME ZONE 'UTC')`;
const localText = (value: string): string => `(${value}::timestamptz AT TIME ZONE 'UTC')`;

/** A JSON array as an array of such a type: `integer[]`. */
function arrayOf(value: string, type: string): string {
  const from = `json_array_elements_text(${value}::json) WITH ORDINALITY AS i(v, n)`;
  const items = `SELECT v::${type.replace(/\[\]$/, '')} FROM ${from}`;
  return `(CASE WHEN ${value}::json IS NOT NULL THEN ARRAY(${items} ORDER BY n) END)`;
}

const forms: Readonly<Record<string, Form>> = {
  /** Text in another order of letters than by code points. */
  text: { read: text, write: asIs, ordered: true },
  /** What reads like text, and has a type of its own: `mood`, an enum. */
  written: { read: text, write: (value, { stored }) => `CAST(${value} AS ${stored!.type})` },
  /** A whole number with less room than the tool's own: compared with one that has more, it is not refused. */
  whole: { read: asIs, write: (value) => `${value}::bigint`, ordered: true },
  real: { read: (column) => `(${column}::text::double precision)`, write: asIs, ordered: true },
  numeric: { read: (column, { scale }) => `round(${column}, ${scale})`, write: asIs, ordered: true },
  money: { read: (column) => `(${column}::numeric)`, write: (value) => `(${value}::numeric::money)`, ordered: true },
  bit: {
    read: (column) => `(${column} = B'1')`,
    write: (value) => `(CASE WHEN ${value}::boolean THEN B'1' WHEN NOT ${value}::boolean THEN B'0' END)`,
  },
  'whole as boolean': {
    read: (column) => `(${column} <> 0)`,
    write: (value) => `(CASE WHEN ${value}::boolean THEN 1 WHEN NOT ${value}::boolean THEN 0 END)`,
  },
  moment: { read: exactly, write: asIs },
  'local moment': { read: (column) => exactly(inUtc(column)), write: localText },
  'short local moment': { read: inUtc, write: localText, ordered: true },
  time: { read: (column) => `(${column}::time(3))`, write: asIs },
  'zoned time': { read: (column) => `(${inUtc(column)}::time(3))`, write: asIs },
  json: { read: (column) => `(${column}::json)`, write: asIs },
  array: { read: (column) => `to_json(${column})`, write: (value, { stored }) => arrayOf(value, stored!.type) },
};

/** How columns are spelled of tables that were there before the models. */
export const postgresForms: Forms = new Map(Object.entries(forms));
