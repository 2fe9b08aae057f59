import { keyParts } from '../../core/model/joined-key.ts';
import { isNested } from '../../core/model/types.ts';
import type { Dialect, ObjectMember, Spec } from '../../core/sql/dialect.ts';
import type { StoreValue } from '../../core/sql/statement.ts';
import { isBeyond } from '../sql/beyond.ts';
import { quoteName, quoteText } from '../sql/quote.ts';
import { COLLATION } from './bound.ts';
import { mariadbExpressions, pathOf, standsAt } from './expression.ts';
import { mariadbForms } from './forms.ts';
import { TOO_LONG_SQL } from './written-json.ts';

/*
 * JSON is put together as a text: MariaDB's own functions write it with blanks between the parts. A value is the text
 * of its JSON, or null.
 */

const inQuotes = (text: string): string => `CONCAT('"', ${text}, '"')`;

/** What functions of JSON give has another order of letters, and orders don't mix. */
const ordered = (json: string): string => `(${json} COLLATE ${COLLATION})`;

function jsonValue({ type, scale }: Spec, value: string): string {
  switch (type) {
    case 'integer':
      return `CONCAT(${value})`;
    case 'boolean':
      return `CASE ${value} WHEN 1 THEN 'true' WHEN 0 THEN 'false' END`;
    case 'number':
      return doubleJson(value);
    case 'decimal':
      return inQuotes(`CAST(${value} AS DECIMAL(40,${scale}))`);
    case 'date':
    case 'uuid':
      return inQuotes(value);
    case 'date-time':
      return inQuotes(momentText(value));
    case 'time':
      return inQuotes(timeText(value));
    case 'json':
    case 'array':
    case 'object':
      return value;
    default:
      return ordered(`JSON_QUOTE(${value})`);
  }
}

export const momentText = (value: string): string => `CONCAT(replace(CAST(${value} AS CHAR), ' ', 'T'), 'Z')`;
/** Without a fraction where there is none. */
export const timeText = (value: string): string => `replace(CAST(${value} AS CHAR), '.000', '')`;

/** MariaDB writes the fewest digits of a double; very large and very small ones are marked, and written out later. */
const doubleJson = (x: string): string =>
  `CASE WHEN ${x} = 0 THEN '0' WHEN abs(${x}) >= 1e-4 AND abs(${x}) < 1e15 THEN CONCAT(${x})` +
  ` ELSE CONCAT('"\\u0000', ${x}, '"') END`;

/** `"name":value`, as a list of the parts of a text. */
const member = ({ name, value }: ObjectMember, before: string): string =>
  `${quoteText(`${before}${JSON.stringify(name)}:`)}, coalesce(${value}, 'null')`;

/** The inside of an object, of which some members are left out. */
function someOf(members: readonly ObjectMember[]): string {
  const each = members.map((one) => {
    const text = `CONCAT(${member(one, '')})`;
    return one.when === undefined ? text : `CASE WHEN ${one.when} THEN ${text} END`;
  });
  return `CONCAT_WS(',', ${each.join(', ')})`;
}

/** A text that is longer than the server puts together is null, which must not be taken for no value. */
const whole = (json: string): string => `coalesce(${json}, ${TOO_LONG_SQL})`;

const arrayOf = (inside: string): string => whole(`CONCAT('[', ${inside}, ']')`);

export const mariadbDialect: Dialect = {
  name: quoteName,
  placeholder: (position) => `?${position}`,
  value: jsonValue,
  computedValue: jsonValue,
  part: (column, path) => standsAt(column, pathOf(path)),
  object(members) {
    if (members.length === 0) return `'{}'`;
    if (members.some(({ when }) => when !== undefined)) return whole(`CONCAT('{', ${someOf(members)}, '}')`);
    return whole(`CONCAT(${members.map((one, at) => member(one, at === 0 ? '{' : ',')).join(', ')}, '}')`);
  },
  array: (values) =>
    values.length === 0 ? `'[]'` : arrayOf(values.map((value) => `coalesce(${value}, 'null')`).join(`, ',', `)),
  scalar: (value) => value,
  text: (json) => json,
  list: ({ json, from, order }) => `(SELECT ${arrayOf(joined(json, order, ','))} ${from})`,
  cappedList: ({ json, from, order }, most) =>
    `(SELECT ${cappedOf(arrayOf(joined(json, order, ',', ` LIMIT ${most}`)), `count(*) > ${most}`)} ${from})`,
  chosen(texts) {
    const each = texts.map(({ json, when }) => (when === undefined ? json : `CASE WHEN ${when} THEN ${json} END`));
    return arrayOf(`CONCAT_WS(${["','", ...each, 'NULL'].join(', ')})`);
  },
  joined: (column, order) =>
    `group_concat(${column}${order === undefined ? '' : ` ORDER BY ${order}`} SEPARATOR ',\n')`,
  ordersJoined: true,
  // It can't return what an UPDATE has changed: that is read again.
  returning: ({ table, change, returned, where }) => ({
    sql: change,
    back: `SELECT ${returned} FROM ${table} WHERE ${where}`,
  }),
  onConflict([key = ''], overwritten) {
    const sets = Object.entries(overwritten).map(([column, value]) => `${column} = ${value(`VALUES(${column})`)}`);
    return `ON DUPLICATE KEY UPDATE ${sets.length === 0 ? `${key} = ${key}` : sets.join(', ')}`;
  },
  keyText: (key) => `CONCAT(${key})`,
  // A text would be compared with a decimal as a double.
  typed: ({ type, scale }, placeholder) =>
    type === 'decimal' ? `CAST(${placeholder} AS DECIMAL(40,${scale}))` : placeholder,
  order(column, descending, nullable) {
    // Also from high to low: aggregates take null for any value.
    return `${nullable ? `${column} IS NULL, ` : ''}${column}${descending ? ' DESC' : ''}`;
  },
  lock: ' FOR UPDATE',
  lockValues: ' FOR UPDATE',
  joinedKey: mariadbExpressions.joinedKey,
  expressions: mariadbExpressions,
  forms: mariadbForms,
  bind(field, value) {
    if (value === null || isBeyond(field, value)) return null;
    if (field.parts !== undefined) return keyParts(field.parts, value as string);
    if (isNested(field.type)) return JSON.stringify(value);
    return field.type === 'date-time' ? moment(value as string) : (value as StoreValue);
  },
  bindKind: ({ kind }, value) => (kind === 'date-time' && typeof value === 'string' ? moment(value) : value),
};

const cappedOf = (data: string, isMore: string): string =>
  whole(`CONCAT('{"data":', ${data}, ',"more":', CASE WHEN ${isMore} THEN 'true' ELSE 'false' END, '}')`);

const joined = (json: string, order: string, separator: string, limit = ''): string =>
  `coalesce(group_concat(${json} ORDER BY ${order} SEPARATOR '${separator}'${limit}), '')`;

/** As MariaDB takes a date and time: in UTC, as the session is. */
const moment = (text: string): string => text.replace('T', ' ').replace('Z', '');
