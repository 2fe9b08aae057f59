import type { AffectedRows } from '../../core/tables/risk.ts';
import type { Column } from '../../core/tables/table.ts';
import { brokenSql, newValue, textOf, unfitSql } from './converted.ts';
import type { ConversionSpelling } from './converted.ts';
import { insideSql } from './inside.ts';
import type { InsideSpelling } from './inside.ts';
import { quoteName as name } from './quote.ts';

/** A statement with one row: the number of affected rows, and the least of their values, as a text. */
export function countSql(affected: AffectedRows, spell: ConversionSpelling, inside: InsideSpelling): string {
  const from = `FROM ${name(affected.table)}`;
  const counted = (where: string, column?: Column): string => {
    const example = column === undefined ? 'NULL' : `min(${textOf(column, name(column.name), spell)})`;
    return `SELECT count(*), ${example} ${from} AS t WHERE ${where}`;
  };
  switch (affected.kind) {
    case 'rows':
      return `SELECT count(*), NULL ${from}`;
    case 'values':
      return counted(`${name(affected.column)} IS NOT NULL`);
    case 'inside':
      return counted(
        `${name(affected.column)} IS NOT NULL AND ${insideSql(affected.path, name(affected.column), inside)}`,
      );
    case 'nulls':
      return counted(`${name(affected.column)} IS NULL`);
    case 'unfit':
      return counted(unfitSql(affected.column, affected.becomes, name(affected.column.name), spell), affected.column);
    case 'broken': {
      const { column, becomes, checks } = affected;
      return counted(brokenSql(column, becomes, checks, name(column.name), spell), column);
    }
    case 'twins': {
      if (affected.columns.length === 0) return `SELECT count(*), NULL ${from} HAVING count(*) > 1`;
      const values = affected.columns.map(({ column, becomes, fill }, at) => {
        const value = newValue(column, becomes, name(column.name), fill, spell, 'NULL');
        return `${value} AS ${name(`v${at}`)}`;
      });
      const names = values.map((_value, at) => name(`v${at}`));
      const given = names.map((value) => `${value} IS NOT NULL`).join(' AND ');
      const rows = `SELECT ${values.join(', ')} ${from}`;
      const texts = affected.columns.map(({ becomes }, at) => textOf(becomes, names[at]!, spell)).join(` || ', ' || `);
      const groups =
        `SELECT count(*) AS n, min(${texts}) AS x ` +
        `FROM (${rows}) AS r WHERE ${given} GROUP BY ${names.join(', ')} ` +
        'HAVING count(*) > 1';
      return `SELECT coalesce(sum(n), 0), min(x) FROM (${groups}) AS t`;
    }
    case 'dangling': {
      const { reference, columns, keys } = affected;
      const isSame = columns.map(({ column, becomes }, at) => {
        const value = newValue(column, becomes, `t.${name(column.name)}`, undefined, spell, 'NULL');
        return `o.${name(keys[at]!)} = ${value}`;
      });
      const given = columns.map(({ column, becomes }) => {
        const own = `t.${name(column.name)}`;
        return `${own} IS NOT NULL AND NOT (${unfitSql(column, becomes, own, spell)})`;
      });
      const there = `SELECT 1 FROM ${name(reference.table)} AS o WHERE ${isSame.join(' AND ')}`;
      return counted(`${given.join(' AND ')} AND NOT EXISTS (${there})`, columns[0]!.column);
    }
    case 'unmoved': {
      const { column, reference, refers, other, key } = affected;
      if (refers === 'source') {
        return (
          `SELECT count(*) - count(DISTINCT ${name(reference.column)}), ` +
          `NULL ${from} WHERE ${name(column)} IS NOT NULL`
        );
      }
      const there = `SELECT 1 FROM ${name(other)} AS o WHERE o.${name(reference.column)} = t.${name(key)}`;
      return counted(`t.${name(column)} IS NOT NULL AND NOT EXISTS (${there})`);
    }
  }
}
