import type { PoolClient } from 'pg';
import { constantIn } from '../../core/tables/catalogue.ts';
import type { Catalogue, CatalogueColumn, CatalogueTable, Preset } from '../../core/tables/catalogue.ts';
import { own } from '../../core/text/own.ts';
import { byTable } from '../sql/by-table.ts';
import { columnKind } from './column-kind.ts';

/** Tables and views of the current schema; partitions belong to their tables. */
const OURS =
  "c.relnamespace = quote_ident(current_schema())::regnamespace AND c.relkind IN ('r', 'p', 'v', 'm') " +
  'AND NOT c.relispartition';

const TABLES = `
  SELECT c.relname, c.relkind IN ('v', 'm'), obj_description(c.oid, 'pg_class'),
    c.relkind <> 'm' AND can AND has_table_privilege(c.oid, 'INSERT'),
    c.relkind <> 'm' AND can AND has_table_privilege(c.oid, 'UPDATE'),
    c.relkind <> 'm' AND can AND has_table_privilege(c.oid, 'DELETE'),
    CASE WHEN c.relkind IN ('v', 'm') THEN format('CREATE %s %I AS%s%s',
      CASE c.relkind WHEN 'm' THEN 'MATERIALIZED VIEW' ELSE 'VIEW' END, c.relname, chr(10), pg_get_viewdef(c.oid)) END
  FROM pg_class AS c, (SELECT current_setting('transaction_read_only') = 'off' AS can) AS session
  WHERE ${OURS} AND has_table_privilege(c.oid, 'SELECT')
    AND NOT EXISTS (SELECT 1 FROM pg_depend AS d WHERE d.objid = c.oid AND d.deptype = 'e')
  ORDER BY c.relname`;

const COLUMNS = `
  SELECT c.relname, a.attname, format_type(b.type, b.modifier), t.typtype,
    (SELECT json_agg(e.enumlabel ORDER BY e.enumsortorder)::text FROM pg_enum AS e WHERE e.enumtypid = b.type),
    CASE WHEN co.collname NOT IN ('C', 'POSIX') THEN co.collname END,
    a.attnotnull OR own.typnotnull, a.attidentity <> '', a.attgenerated <> '',
    pg_get_expr(d.adbin, d.adrelid), col_description(c.oid, a.attnum),
    CASE WHEN a.attcollation <> t.typcollation THEN quote_ident(co.collname) END
  FROM pg_class AS c
  JOIN pg_attribute AS a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
  JOIN pg_type AS own ON own.oid = a.atttypid
  CROSS JOIN LATERAL (
    WITH RECURSIVE up(type, modifier, steps) AS (
      SELECT a.atttypid, a.atttypmod, 0
      UNION ALL
      SELECT o.typbasetype, o.typtypmod, steps + 1 FROM up JOIN pg_type AS o ON o.oid = up.type AND o.typtype = 'd'
    )
    SELECT type, modifier FROM up ORDER BY steps DESC LIMIT 1
  ) AS b
  JOIN pg_type AS t ON t.oid = b.type
  LEFT JOIN pg_collation AS co ON co.oid = a.attcollation
  LEFT JOIN pg_attrdef AS d ON d.adrelid = c.oid AND d.adnum = a.attnum
  WHERE ${OURS}
  ORDER BY c.relname, a.attnum`;

const names = (keys: string, of: string): string =>
  `(SELECT json_agg(a.attname ORDER BY u.n)::text FROM unnest(${keys}) WITH ORDINALITY AS u(c, n) ` +
  `JOIN pg_attribute AS a ON a.attrelid = ${of} AND a.attnum = u.c)`;

const CONSTRAINTS = `
  SELECT c.relname, k.contype, ${names('k.conkey', 'k.conrelid')}, f.relname, ${names('k.confkey', 'k.confrelid')},
    k.confdeltype, CASE WHEN k.contype = 'c' THEN pg_get_expr(k.conbin, k.conrelid) END, k.conname
  FROM pg_constraint AS k
  JOIN pg_class AS c ON c.oid = k.conrelid
  LEFT JOIN pg_class AS f ON f.oid = k.confrelid AND f.relnamespace = c.relnamespace
  WHERE ${OURS} AND k.contype IN ('c', 'f', 'p', 'u')
  ORDER BY c.relname, k.conname`;

/** Whole columns, of all rows. */
const INDEXES = `
  SELECT c.relname, x.indisunique, ${names('x.indkey', 'x.indrelid')}, i.relname
  FROM pg_index AS x JOIN pg_class AS c ON c.oid = x.indrelid JOIN pg_class AS i ON i.oid = x.indexrelid
  WHERE ${OURS} AND x.indisvalid AND x.indpred IS NULL AND x.indexprs IS NULL AND x.indnkeyatts = x.indnatts
    AND NOT x.indisprimary
    AND NOT EXISTS (SELECT 1 FROM pg_constraint AS k WHERE k.conindid = x.indexrelid AND k.contype = 'u')
  ORDER BY c.relname, x.indexrelid`;

type Cell = string | number | boolean | null;
type Cells = readonly Cell[];

/** The tables and views of the current schema that the account may read. */
export async function readCatalogue(client: Pick<PoolClient, 'query'>): Promise<Catalogue> {
  const rows = async (text: string): Promise<readonly Cells[]> =>
    (await client.query<Cell[]>({ text, rowMode: 'array' })).rows;
  const tables = await rows(TABLES);
  const columnsOf = byTable(await rows(COLUMNS));
  const constraintsOf = byTable(await rows(CONSTRAINTS));
  const indexesOf = byTable(await rows(INDEXES));
  return {
    tables: tables.map(([name, isView, comment, insert, update, remove, view]): CatalogueTable => {
      const of = (kind: string): readonly Cells[] => constraintsOf(name).filter(([, sort]) => sort === kind);
      const named = [
        ...of('u').map((cells) => ({
          columns: listed(cells[2]),
          isUnique: true,
          isRule: true,
          name: String(cells[7]),
        })),
        ...indexesOf(name).map(([, isUnique, of, called]) => ({
          ...{ columns: listed(of), isUnique: isUnique === true, isRule: false, name: String(called) },
        })),
      ];
      return {
        name: String(name),
        isView: isView === true,
        view: textOrNone(view ?? null)?.replace(/;\s*$/, ''),
        comment: textOrNone(comment),
        columns: columnsOf(name).map(columnOf),
        key: listed(of('p')[0]?.[2]),
        unique: named.filter((one) => one.isUnique).map(({ columns }) => columns),
        indexes: named.filter((one) => !one.isUnique).map(({ columns }) => columns),
        named,
        references: of('f')
          .filter(([, , , table]) => table !== null)
          .map(([, , from, table, key, onDelete, , called]) => ({
            name: String(called),
            columns: listed(from),
            table: String(table),
            key: listed(key),
            onDelete: own(ON_DELETE, String(onDelete)) ?? 'restrict',
          })),
        checks: of('c').map((cells) => String(cells[6])),
        may: { insert: insert === true, update: update === true, delete: remove === true },
      };
    }),
  };
}

const ON_DELETE: Readonly<Record<string, 'cascade' | 'clear'>> = { c: 'cascade', n: 'clear' };

const listed = (cell: Cell | undefined): string[] => (typeof cell === 'string' ? (JSON.parse(cell) as string[]) : []);

const textOrNone = (cell: Cell | undefined): string | undefined => (cell === null ? undefined : String(cell));

function columnOf(cells: Cells): CatalogueColumn {
  const [, name, type, sort, labels, collation, notNull, isIdentity, isGenerated, preset, comment, order] = cells;
  const words = textOrNone(preset);
  const isNumbered = isIdentity === true || (words?.startsWith('nextval(') ?? false);
  return {
    name: String(name),
    type: String(type),
    kind: columnKind({
      name: String(type),
      sort: String(sort),
      labels: listed(labels),
      collation: textOrNone(collation),
    }),
    nullable: notNull !== true,
    preset: words === undefined || isNumbered || isGenerated === true ? undefined : presetOf(words),
    made: isNumbered ? 'number' : isGenerated === true ? 'value' : undefined,
    comment: textOrNone(comment),
    words: {
      type: order === null ? String(type) : `${String(type)} COLLATE ${String(order)}`,
      more: isNumbered
        ? 'GENERATED BY DEFAULT AS IDENTITY'
        : words && (isGenerated === true ? `GENERATED ALWAYS AS (${words}) STORED` : `DEFAULT ${words}`),
    },
  };
}

const NOW =
  /^(now\(\)|CURRENT_TIMESTAMP(\(\d\))?|\(?now\(\) AT TIME ZONE 'utc'::text\)?|LOCALTIMESTAMP(\(\d\))?|CURRENT_DATE)$/i;

function presetOf(words: string): Preset | undefined {
  const bare = words.replace(/::[a-z_ "]+(\(.*?\))?(\[\])?$/i, '');
  if (/^NULL$/i.test(bare)) return undefined;
  if (NOW.test(words)) return 'now';
  if (/^(gen_random_uuid|uuid_generate_v\d|uuidv\d)\(\)$/.test(words)) return 'uuid';
  const value = constantIn(bare.replace(/^\((-\d[\d.]*)\)$/, '$1'));
  return value === undefined ? { words } : { value };
}
