import type { Field } from '../../core/model/field.ts';
import { isNested } from '../../core/model/types.ts';
import type { Dialect, ObjectMember } from '../../core/sql/dialect.ts';
import { soleCondition, unconditional } from '../sql/members.ts';
import { quoteName, quoteText } from '../sql/quote.ts';
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

/** json_agg would put blanks and line feeds between the values. */
const LIST = `('[' || coalesce(string_agg(j, ','), '') || ']')::json`;

function rowObject(members: readonly ObjectMember[]): string {
  const columns = members.map(({ name, value }) => `${value} AS ${quoteName(name)}`);
  return `(SELECT row_to_json(r) FROM (SELECT ${columns.join(', ')}) AS r)`;
}

/** Members that follow each other and have the same condition. */
function runsOf(members: readonly ObjectMember[]): ObjectMember[][] {
  const runs: ObjectMember[][] = [];
  for (const member of members) {
    const last = runs.at(-1);
    if (last !== undefined && last[0]!.when === member.when) last.push(member);
    else runs.push([member]);
  }
  return runs;
}

export const postgresDialect: Dialect = {
  name: quoteName,
  placeholder: (position) => `$${position}`,
  value: ({ type }, column) => postgresJsonValue(type, column),
  // A column has its scale; what arithmetic gives has as many digits as it likes.
  computedValue: ({ type, scale }, value) =>
    type === 'decimal' ? `round(${value}, ${scale})::text` : postgresJsonValue(type, value),
  part: (column, path) => `(${column} #> ${quoteText(`{${path.map((name) => JSON.stringify(name)).join(',')}}`)})`,
  object(members) {
    if (members.every(({ when }) => when === undefined)) return rowObject(members);
    const when = soleCondition(members);
    if (when !== undefined)
      return `CASE WHEN ${when} THEN ${rowObject(members)} ELSE ${rowObject(unconditional(members))} END`;
    // Members that are shown on the same condition make an object; the insides of all make one.
    const inner = runsOf(members).map((run) => {
      const inside = `(SELECT substr(t, 2, length(t) - 2) FROM (SELECT ${rowObject(run)}::text AS t) AS text)`;
      return run[0]!.when === undefined ? inside : `CASE WHEN ${run[0]!.when} THEN ${inside} END`;
    });
    return `('{' || concat_ws(',', ${inner.join(', ')}) || '}')::json`;
  },
  array: (values) => `json_build_array(${values.join(', ')})`,
  scalar: (value) => `to_json(${value})::text`,
  text: (json) => `${json}::text`,
  list: (select) => `(SELECT ${LIST} FROM (${select}) AS rows)`,
  cappedList: (select, most, beyond) =>
    `(SELECT row_to_json(r) FROM (SELECT ${LIST} AS data, count(*) = ${most} AND ` +
    `EXISTS (${beyond}) AS more FROM (${select}) AS rows) AS r)`,
  joined: (column) => `string_agg(${column}, E',\\n')`,
  order: (column, descending, nullable) => `${column}${descending ? ` DESC${nullable ? ' NULLS LAST' : ''}` : ''}`,
  lock: ' FOR UPDATE',
  lockValues: ' FOR NO KEY UPDATE',
  expressions: postgresExpressions,
  bind: (field, value) => (isNested(field.type) && value !== null ? JSON.stringify(value) : (value as string | number)),
  bindKind: (_type, value) => value,
};
