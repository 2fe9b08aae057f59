import type { Dialect } from '../../core/store/dialect.ts';
import type { Field } from '../../core/model/graph.ts';
import { isNested } from '../../core/model/types.ts';
import { quoteName } from '../quote.ts';
import { postgresExpressions } from './expression.ts';

/** A column's value as `row_to_json` must be given it, so that the JSON shows the field's own form. */
export function postgresJsonValue(type: Field['type'], column: string): string {
  switch (type) {
    case 'decimal':
      return `${column}::text`;
    case 'date-time':
      return `to_char(${column} AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"')`;
    case 'time':
      // Without a fraction where there is none.
      return `replace(to_char(${column}, 'HH24:MI:SS.MS'), '.000', '')`;
    default:
      return column;
  }
}

export const postgresDialect: Dialect = {
  name: quoteName,
  placeholder: (position) => `$${position}`,
  object(members) {
    const columns = members.map(
      ({ name, field, column }) => `${postgresJsonValue(field.type, column)} AS ${quoteName(name)}`,
    );
    return `(SELECT row_to_json(r) FROM (SELECT ${columns.join(', ')}) AS r)::text`;
  },
  array: (columns) =>
    `json_build_array(${columns.map(({ field, column }) => postgresJsonValue(field.type, column)).join(', ')})::text`,
  joined: (column) => `string_agg(${column}, E',\\n')`,
  order: (column, descending, nullable) => `${column}${descending ? ` DESC${nullable ? ' NULLS LAST' : ''}` : ''}`,
  lock: ' FOR UPDATE',
  expressions: postgresExpressions,
  bind: (field, value) => (isNested(field.type) && value !== null ? JSON.stringify(value) : (value as string | number)),
  bindKind: (_type, value) => value,
};
