import type { PoolClient } from 'pg';
import type { Description } from '../../core/tables/description.ts';

const COLUMNS = `
  SELECT c.relname, a.attname, format_type(a.atttypid, a.atttypmod), a.attnotnull, a.attidentity,
    CASE WHEN a.attcollation <> t.typcollation THEN co.collname END, pg_get_expr(d.adbin, d.adrelid)
  FROM pg_class AS c
  JOIN pg_attribute AS a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
  JOIN pg_type AS t ON t.oid = a.atttypid
  LEFT JOIN pg_collation AS co ON co.oid = a.attcollation
  LEFT JOIN pg_attrdef AS d ON d.adrelid = c.oid AND d.adnum = a.attnum
  WHERE c.relnamespace = quote_ident(current_schema())::regnamespace AND c.relkind IN ('r', 'p')
  ORDER BY c.relname, a.attnum`;

const CONSTRAINTS = `
  SELECT c.relname, k.conname, k.contype, pg_get_constraintdef(k.oid)
  FROM pg_constraint AS k JOIN pg_class AS c ON c.oid = k.conrelid
  WHERE c.relnamespace = quote_ident(current_schema())::regnamespace AND k.contype IN ('c', 'f', 'p', 'u', 'x')
  ORDER BY c.relname, k.conname`;

const INDEXES = `
  SELECT c.relname, i.relname, replace(pg_get_indexdef(x.indexrelid), current_schema() || '.', '')
  FROM pg_index AS x
  JOIN pg_class AS c ON c.oid = x.indrelid
  JOIN pg_class AS i ON i.oid = x.indexrelid
  WHERE c.relnamespace = quote_ident(current_schema())::regnamespace
    AND NOT EXISTS (SELECT 1 FROM pg_constraint AS k WHERE k.conindid = i.oid AND k.conrelid = c.oid)
  ORDER BY c.relname, i.relname`;

type Cells = (string | boolean | null)[];

/** The tables of the current schema, as the catalogue has them. */
export async function describe(client: PoolClient): Promise<Description> {
  const rows = async (text: string): Promise<Cells[]> => (await client.query<Cells>({ text, rowMode: 'array' })).rows;
  const tables: Record<string, Record<string, string>> = {};
  for (const [table, column, type, notNull, identity, collation, preset] of await rows(COLUMNS)) {
    const words = [
      type,
      collation === null ? '' : `COLLATE "${String(collation)}"`,
      notNull === true ? 'NOT NULL' : '',
      identity === '' ? '' : 'IDENTITY',
      preset === null ? '' : `DEFAULT ${String(preset)}`,
    ];
    (tables[String(table)] ??= {})[`column ${String(column)}`] = words.filter((word) => word !== '').join(' ');
  }
  for (const [table, name, kind, definition] of await rows(CONSTRAINTS)) {
    // The key's own constraint keeps the name that it was made with; it says nothing.
    const part = kind === 'p' ? 'key' : kind === 'f' ? `reference ${String(name)}` : `rule ${String(name)}`;
    (tables[String(table)] ??= {})[part] = String(definition);
  }
  for (const [table, name, definition] of await rows(INDEXES)) {
    (tables[String(table)] ??= {})[`index ${String(name)}`] = String(definition);
  }
  return tables;
}
