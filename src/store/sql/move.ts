import type { Move } from '../../core/tables/schema-diff.ts';
import type { Column } from '../../core/tables/table.ts';
import { newValue } from './converted.ts';
import type { ConversionSpelling } from './converted.ts';
import { quoteName as name } from './quote.ts';

/** What databases spell differently when values move to another table. */
export interface MoveSpelling extends ConversionSpelling {
  readonly uuid: string;
}

/** The statements that take values over to another table, along the reference between the two. */
export function moveSql(move: Move, spell: MoveSpelling): string[] {
  const { source, target, made, refers, reference, columns } = move;
  if (made) return [insertText(move, spell)];
  const [from, to] = [name(source.name), name(target.name)];
  return columns.map((column) => {
    const [near, far] =
      refers === 'target' ? [source.primaryKey!, reference.column] : [reference.column, target.primaryKey!];
    const first = source.primaryKey === undefined ? '' : ` ORDER BY s.${name(source.primaryKey)}`;
    const moved = newValue(column.from, column.to, `s.${name(column.from.name)}`, move.fills.get(column.to), spell);
    const value = `SELECT ${moved} FROM ${from} AS s WHERE s.${name(near)} = ${to}.${name(far)}`;
    const given = `s.${name(column.from.name)} IS NOT NULL`;
    return `UPDATE ${to} SET ${name(column.to.name)} = (${value} AND ${given}${first} LIMIT 1)`;
  });
}

/**
 * A row for each row of the source that has one of the values. A UUID that is one record's key can be its child's
 * too.
 */
function insertText({ source, target, reference, columns, fills }: Move, spell: MoveSpelling): string {
  const values = new Map<Column, string>();
  for (const column of target.columns) {
    const moved = columns.find(({ to }) => to === column);
    const stamp = source.columns.find((other) => other.name === column.name && other.type === 'date-time');
    const fill = fills.get(column);
    const isKey = column.name === target.primaryKey;
    if (moved !== undefined) values.set(column, newValue(moved.from, column, name(moved.from.name), fill, spell));
    else if (column.name === reference.column) values.set(column, name(source.primaryKey!));
    else if (isKey && column.type === 'uuid') values.set(column, keyText(source.columns, source.primaryKey!, spell));
    else if (fill === 'now' && stamp !== undefined) values.set(column, name(stamp.name));
    else if (fill !== undefined) values.set(column, spell.fill(column, fill));
  }
  const given = columns.map(({ from }) => `${name(from.name)} IS NOT NULL`).join(' OR ');
  const into = [...values.keys()].map((column) => name(column.name)).join(', ');
  return (
    `INSERT INTO ${name(target.name)} (${into})\n` +
    `  SELECT ${[...values.values()].join(', ')}\n` +
    `  FROM ${name(source.name)} WHERE ${given}`
  );
}

const keyText = (columns: readonly Column[], key: string, spell: MoveSpelling): string =>
  columns.find((column) => column.name === key)?.type === 'uuid' ? name(key) : spell.uuid;
