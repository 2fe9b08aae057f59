import { constantIn } from '../../core/tables/catalogue.ts';
import type { Catalogue, CatalogueColumn, CatalogueTable, Preset } from '../../core/tables/catalogue.ts';
import { quoteName, quoteText } from '../sql/quote.ts';
import { onDeleteIn } from '../sql/tables.ts';
import type { Connection } from './connect.ts';
import { columnKind } from './column-kind.ts';
import type { SeenValues } from './column-kind.ts';
import { checksIn, describe, workedOutIn } from './describe.ts';

type Cell = string | number | boolean | null;
type Cells = readonly Cell[];

/** Rows of each table that are looked at, where somebody waits. */
const SOME = 1_000;

/** The tables and views in a file. `thorough` looks at all values to tell what columns hold. */
export function readCatalogue(connection: Connection, mayWrite: boolean, thorough: boolean): Catalogue {
  const rows = (sql: string): Cells[] => connection.prepare(sql).raw(true).all() as Cells[];
  const schema = rows("SELECT type, tbl_name, name, coalesce(sql, '') FROM sqlite_schema");
  const words = describe(
    schema.map(([type, table, name, sql]) => ({
      ...{ type: String(type), table: String(table), name: String(name) },
      ...{ sql: String(sql), page: 0 },
    })),
  );
  const tables = rows("SELECT name, type FROM pragma_table_list WHERE schema = 'main' ORDER BY name").filter(
    ([name, type]) => !String(name).startsWith('sqlite_') && ['table', 'view'].includes(String(type)),
  );
  return {
    tables: tables.map(([name, type]): CatalogueTable => {
      const table = String(name);
      const of = (pragma: string): Cells[] => rows(`SELECT * FROM pragma_${pragma}(${quoteText(table)})`);
      const parts = words[table] ?? {};
      const columns = of('table_xinfo').filter((cells) => Number(cells[6]) !== 1);
      const key = columns.filter((cells) => Number(cells[5]) > 0).sort((a, b) => Number(a[5]) - Number(b[5]));
      const isNumbered = key.length === 1 && String(key[0]![2]).toLowerCase() === 'integer';
      const see = (column: string): SeenValues => seen(rows, table, column, thorough ? undefined : SOME);
      const indexes = of('index_list').map(([, index, isUnique, origin, partial]) => ({
        name: origin === 'c' ? String(index) : undefined,
        ...{ isUnique: Number(isUnique) === 1, isKey: origin === 'pk', isPartial: Number(partial) === 1 },
        of: rows(`SELECT name FROM pragma_index_info(${quoteText(String(index))}) ORDER BY seqno`).map(([one]) => one),
      }));
      const whole = indexes.filter((one) => !one.isPartial && !one.isKey && one.of.every((column) => column !== null));
      return {
        name: table,
        isView: type === 'view',
        view:
          type === 'view' ? String(schema.find(([sort, , own]) => sort === 'view' && own === table)?.[3]) : undefined,
        columns: columns.map((cells) => columnOf(cells, parts[`column ${String(cells[1])}`] ?? '', isNumbered, see)),
        key: key.map((cells) => String(cells[1])),
        unique: whole.filter(({ isUnique }) => isUnique).map((one) => one.of.map(String)),
        indexes: whole.filter(({ isUnique }) => !isUnique).map((one) => one.of.map(String)),
        named: whole.map(({ name, isUnique, of }) => ({
          ...{ name, isUnique, columns: of.map(String), isRule: name === undefined },
        })),
        references: referencesIn(of('foreign_key_list')),
        checks: checksIn(String(schema.find(([sort, , own]) => sort === 'table' && own === table)?.[3] ?? '')),
        may: {
          insert: mayWrite && type === 'table',
          update: mayWrite && type === 'table',
          delete: mayWrite && type === 'table',
        },
      };
    }),
  };
}

const valueIn = (cell: Cell | undefined): string | number | null =>
  typeof cell === 'string' || typeof cell === 'number' ? cell : null;

/** Of a column: which kinds of values it has, and the least and the greatest of them. */
function seen(rows: (sql: string) => Cells[], table: string, column: string, most: number | undefined): SeenValues {
  const name = quoteName(column);
  const some = `SELECT ${name} AS v FROM ${quoteName(table)} WHERE ${name} IS NOT NULL`;
  const from = most === undefined ? some : `${some} LIMIT ${most}`;
  const dated = "'[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]*'";
  const undated = `min(CASE WHEN typeof(v) = 'text' AND v NOT GLOB ${dated} THEN v END)`;
  const [[kinds = null, least, greatest, strange] = []] = rows(
    `SELECT group_concat(DISTINCT typeof(v)), min(v), max(v), ${undated} FROM (${from})`,
  );
  return {
    kinds: kinds === null ? [] : String(kinds).split(','),
    least: valueIn(least),
    most: valueIn(greatest),
    undated: typeof strange === 'string' ? strange : null,
  };
}

function columnOf(
  [, name, type, notNull, preset, isKey, hidden]: Cells,
  words: string,
  isNumbered: boolean,
  see: (column: string) => SeenValues,
): CatalogueColumn {
  const isMade = Number(hidden) > 1;
  const isOfKey = Number(isKey) > 0;
  const collation = /\bcollate (\w+)/.exec(words)?.[1] ?? 'binary';
  const declared = String(type).toLowerCase();
  const kind = columnKind(declared, collation === 'binary', see(String(name)));
  return {
    name: String(name),
    type: kind === undefined && declared !== 'blob' ? `${declared}, with bytes in it,`.replace(/^, /, '') : declared,
    kind,
    nullable: Number(notNull) === 0 && !(isOfKey && isNumbered),
    preset: preset === null || isMade ? undefined : presetOf(String(preset)),
    made: isOfKey && isNumbered ? 'number' : isMade ? 'value' : undefined,
    words: {
      type: `${String(type)}${collation === 'binary' ? '' : ` COLLATE ${collation}`}`,
      more: isMade ? workedOutIn(words) : preset === null ? undefined : `DEFAULT (${String(preset)})`,
    },
  };
}

function presetOf(words: string): Preset | undefined {
  if (/^NULL$/i.test(words)) return undefined;
  if (/^\(?(CURRENT_TIMESTAMP|datetime\('now'\)|CURRENT_DATE|date\('now'\)|strftime\(.*'now'\))\)?$/i.test(words))
    return 'now';
  const value = constantIn(words.replace(/^"(.*)"$/, "'$1'"));
  return value === undefined ? { words } : { value };
}

function referencesIn(cells: readonly Cells[]): CatalogueTable['references'] {
  const ids = [...new Set(cells.map(([id]) => Number(id)))].sort((a, b) => a - b);
  return ids.map((id) => {
    const some = cells.filter((one) => Number(one[0]) === id).sort((a, b) => Number(a[1]) - Number(b[1]));
    const [first] = some;
    const keys = some.map((one) => one[4]);
    return {
      columns: some.map((one) => String(one[3])),
      table: String(first![2]),
      key: keys.every((key) => key !== null) ? keys.map(String) : [],
      onDelete: onDeleteIn(String(first![6])),
    };
  });
}
