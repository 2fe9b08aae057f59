import type { Form, Forms } from '../../core/sql/form.ts';

const MOMENT = '%Y-%m-%dT%H:%M:%fZ';
const momentOf = (value: string): string => `strftime('${MOMENT}', ${value})`;
/** Days from the beginning of Julian days to 1970. */
const EPOCH = 2_440_587.5;
const A_DAY = 86_400_000;

const forms: Readonly<Record<string, Form>> = {
  /** Text that is compared without minding the case of letters. */
  text: { read: (column) => `(${column} COLLATE BINARY)`, write: (value) => value, ordered: true },
  /** Whatever it holds, as a text. */
  mixed: { read: (column) => `CAST(${column} AS TEXT)`, write: (value) => value },
  /** A decimal as a number. */
  decimal: {
    read: (column, { scale }) => `CAST(round(${column} * 1e${scale}) AS INTEGER)`,
    write: (value, { scale }) => (scale === 0 ? `CAST(${value} AS INTEGER)` : `(${value} / 1e${scale})`),
    ordered: true,
  },
  /** `2026-05-01 08:30:00`. */
  'to the second': { read: momentOf, write: (value) => `strftime('%Y-%m-%d %H:%M:%S', ${value})` },
  'to the millisecond': { read: momentOf, write: (value) => `strftime('%Y-%m-%d %H:%M:%f', ${value})` },
  seconds: {
    read: (column) => `strftime('${MOMENT}', ${column}, 'unixepoch')`,
    write: (value) => `CAST(strftime('%s', ${value}) AS INTEGER)`,
    ordered: true,
  },
  milliseconds: {
    read: (column) => `strftime('${MOMENT}', ${column} / 1000.0, 'unixepoch')`,
    write: (value) => `CAST(round((julianday(${value}) - ${EPOCH}) * ${A_DAY}) AS INTEGER)`,
    ordered: true,
  },
};

/** How columns are spelled of tables that were there before the models. */
export const sqliteForms: Forms = new Map(Object.entries(forms));
