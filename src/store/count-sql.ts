import type { Hazard } from '../core/tables/hazard.ts';
import type { Check, Column } from '../core/tables/table.ts';
import { quoteName as name } from './quote.ts';

/** What databases spell differently when rows in danger are counted. */
export interface CountSpelling {
  check(column: Column, check: Check, x: string): string;
  /** Whether a value that is not null says something in the other type; undefined where every one does. */
  fits(from: Column, to: Column, x: string): string | undefined;
}

/** A statement whose one row is the number of rows that a hazard tells of. */
export function countSql(hazard: Hazard, spell: CountSpelling): string {
  const from = `FROM ${name(hazard.table)}`;
  switch (hazard.kind) {
    case 'rows':
      return `SELECT count(*) ${from}`;
    case 'values':
      return `SELECT count(*) ${from} WHERE ${name(hazard.column)} IS NOT NULL`;
    case 'nulls':
      return `SELECT count(*) ${from} WHERE ${name(hazard.column)} IS NULL`;
    case 'unfit': {
      const x = name(hazard.column.name);
      const fits = spell.fits(hazard.column, hazard.becomes, x) ?? 'TRUE';
      return `SELECT count(*) ${from} WHERE ${x} IS NOT NULL AND (${fits}) IS NOT TRUE`;
    }
    case 'broken': {
      const { column, checks } = hazard;
      const kept = checks.map((check) => spell.check(column, check, name(column.name))).join(' AND ');
      return `SELECT count(*) ${from} WHERE NOT (${kept})`;
    }
    case 'twins': {
      if (hazard.columns.length === 0) return `SELECT count(*) ${from} HAVING count(*) > 1`;
      const columns = hazard.columns.map(name);
      const given = columns.map((column) => `${column} IS NOT NULL`).join(' AND ');
      const groups = `SELECT count(*) AS n ${from} WHERE ${given} GROUP BY ${columns.join(', ')} HAVING count(*) > 1`;
      return `SELECT coalesce(sum(n), 0) FROM (${groups}) AS t`;
    }
    case 'dangling': {
      const { column, table, key } = hazard.reference;
      const there = `SELECT 1 FROM ${name(table)} AS o WHERE o.${name(key)} = t.${name(column)}`;
      return `SELECT count(*) ${from} AS t WHERE t.${name(column)} IS NOT NULL AND NOT EXISTS (${there})`;
    }
    case 'unmoved': {
      const { column, reference, refers, other, key } = hazard;
      if (refers === 'source') {
        return `SELECT count(*) - count(DISTINCT ${name(reference.column)}) ${from} WHERE ${name(column)} IS NOT NULL`;
      }
      const there = `SELECT 1 FROM ${name(other)} AS o WHERE o.${name(reference.column)} = t.${name(key)}`;
      return `SELECT count(*) ${from} AS t WHERE t.${name(column)} IS NOT NULL AND NOT EXISTS (${there})`;
    }
  }
}
