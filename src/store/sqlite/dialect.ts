import { keyParts } from '../../core/model/joined-key.ts';
import { isNested } from '../../core/model/types.ts';
import type { Dialect, ObjectMember, Spec } from '../../core/sql/dialect.ts';
import { standardChanges } from '../sql/changes.ts';
import { capped, listed } from '../sql/lists.ts';
import { soleCondition, unconditional } from '../sql/members.ts';
import { quoteName, quoteText } from '../sql/quote.ts';
import { doubleJson } from './double.ts';
import { sqliteExpressions } from './expression.ts';
import { sqliteForms } from './forms.ts';

/** A column's value as `json_object` and `json_array` must be given it, so that the JSON shows the field's own form. */
function jsonValue(field: Spec, column: string): string {
  // Also of a field that is required: a newer version of the project may know none of it.
  const absent = (sql: string): string => `CASE WHEN ${column} IS NOT NULL THEN ${sql} END`;
  switch (field.type) {
    case 'boolean':
      return `json(CASE ${column} WHEN 1 THEN 'true' WHEN 0 THEN 'false' END)`;
    case 'decimal':
      return absent(decimalText(field.scale, column));
    case 'number':
      return absent(`json(${doubleJson(column)})`);
    case 'json':
    case 'array':
    case 'object':
      return `json(${column})`;
    default:
      return column;
  }
}

/** A decimal, which is kept as a whole number of its smallest unit, with its point. */
export function decimalText(scale: number, column: string): string {
  if (scale === 0) return `CAST(${column} AS TEXT)`;
  const unit = 10 ** scale;
  const parts = `iif(${column} < 0, '-', ''), abs(${column}) / ${unit}, abs(${column}) % ${unit}`;
  return `printf('%s%d.%0${scale}d', ${parts})`;
}

/** A decimal as a whole number of its smallest unit, so that the database sorts, compares and adds it exactly. */
export function units(decimal: string): number | string {
  const digits = decimal.replace('.', '');
  return Number.isSafeInteger(Number(digits)) ? Number(digits) : digits;
}

const LIST = `'[' || coalesce(group_concat(j, ','), '') || ']'`;

const listOf = (select: string): string => `json((SELECT ${LIST} FROM (${select})))`;

const jsonObject = (members: readonly ObjectMember[]): string =>
  `json_object(${members.map(({ name, value }) => `${quoteText(name)}, ${value}`).join(', ')})`;

export const sqliteDialect: Dialect = {
  name: quoteName,
  placeholder: (position) => `?${position}`,
  value: jsonValue,
  computedValue: jsonValue,
  part: (column, path) => `json(${column} -> ${quoteText(`$.${path.map((name) => JSON.stringify(name)).join('.')}`)})`,
  object(members) {
    const whole = jsonObject(members);
    const when = soleCondition(members);
    // Quicker than to take something out again, but it would double with each condition.
    if (when !== undefined) return `CASE WHEN ${when} THEN ${whole} ELSE ${jsonObject(unconditional(members))} END`;
    // A path that leads nowhere takes nothing away.
    const hidden = members.flatMap(({ name, when }) =>
      when === undefined ? [] : [`CASE WHEN ${when} THEN '$."~"' ELSE ${quoteText(`$.${JSON.stringify(name)}`)} END`],
    );
    return hidden.length === 0 ? whole : `json_remove(${[whole, ...hidden].join(', ')})`;
  },
  array: (values) => `json_array(${values.join(', ')})`,
  scalar: (value) => `json_quote(${value})`,
  text: (json) => json,
  list: (rows) => listOf(listed(rows)),
  chosen(texts) {
    const arms = texts.map(
      ({ json, when }, at) => `SELECT ${json} AS j, ${at} AS n${when === undefined ? '' : ` WHERE ${when}`}`,
    );
    return arms.length === 0 ? `json('[]')` : listOf(`SELECT j FROM (${arms.join(' UNION ALL ')}) ORDER BY n`);
  },
  cappedList(rows, most) {
    const { first, beyond } = capped(rows, most);
    const more = `json(iif(count(*) = ${most} AND EXISTS (${beyond}), 'true', 'false'))`;
    return `(SELECT json_object('data', json(${LIST}), 'more', ${more}) FROM (${first}))`;
  },
  joined: (column) => `group_concat(${column}, ',' || char(10))`,
  order: (column, descending, nullable) =>
    `${column}${descending ? ' DESC' : ''}${nullable && !descending ? ' NULLS LAST' : ''}`,
  lock: '',
  lockValues: '',
  ...standardChanges,
  joinedKey: sqliteExpressions.joinedKey,
  expressions: sqliteExpressions,
  forms: sqliteForms,
  bind(field, value) {
    if (value === null) return null;
    if (field.parts !== undefined) return keyParts(field.parts, value as string);
    if (isNested(field.type)) return JSON.stringify(value);
    if (typeof value === 'boolean') return value ? 1 : 0;
    return field.type === 'decimal' ? units(value as string) : (value as string | number);
  },
  bindKind(type, value) {
    if (typeof value === 'boolean') return value ? 1 : 0;
    return type.kind === 'decimal' && value !== null ? units(String(value)) : value;
  },
};
