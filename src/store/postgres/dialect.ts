import type { Field } from '../../core/model/field.ts';
import { keyParts } from '../../core/model/joined-key.ts';
import { isNested } from '../../core/model/types.ts';
import type { Dialect, ObjectMember } from '../../core/sql/dialect.ts';
import { standardChanges } from '../sql/changes.ts';
import { capped, listed } from '../sql/lists.ts';
import { soleCondition, unconditional } from '../sql/members.ts';
import { isBeyond } from '../sql/beyond.ts';
import { quoteName, quoteText } from '../sql/quote.ts';
import { postgresExpressions } from './expression.ts';
import { postgresForms } from './forms.ts';

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

/** The row has a name that no member of it can have, which would be taken for it. */
function rowObject(members: readonly ObjectMember[]): string {
  const columns = members.map(({ name, value }) => `${value} AS ${quoteName(name)}`);
  return `(SELECT row_to_json("@") FROM (SELECT ${columns.join(', ')}) AS "@")`;
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
  list: (rows) => `(SELECT ${LIST} FROM (${listed(rows)}) AS rows)`,
  cappedList(rows, most) {
    const { first, beyond } = capped(rows, most);
    const more = `count(*) = ${most} AND EXISTS (${beyond})`;
    return `(SELECT row_to_json("@") FROM (SELECT ${LIST} AS data, ${more} AS more FROM (${first}) AS rows) AS "@")`;
  },
  chosen(texts) {
    const each = texts.map(({ json, when }) => (when === undefined ? json : `CASE WHEN ${when} THEN ${json} END`));
    // An array may be empty or long; a function's arguments may not be over a hundred.
    return `('[' || array_to_string(ARRAY[${each.join(', ')}]::text[], ',') || ']')::json`;
  },
  joined: (column) => `string_agg(${column}, E',\\n')`,
  order: (column, descending, nullable) => `${column}${descending ? ` DESC${nullable ? ' NULLS LAST' : ''}` : ''}`,
  lock: ' FOR UPDATE',
  lockValues: ' FOR NO KEY UPDATE',
  ...standardChanges,
  joinedKey: postgresExpressions.joinedKey,
  expressions: postgresExpressions,
  forms: postgresForms,
  bind(field, value) {
    if (value === null || isBeyond(field, value)) return null;
    if (field.parts !== undefined) return keyParts(field.parts, value as string);
    return isNested(field.type) ? JSON.stringify(value) : (value as string | number);
  },
  bindKind: (_type, value) => value,
};
