import type { Connection } from 'mariadb/callback';
import type { StoreValue } from '../../core/sql/statement.ts';
import { constantIn } from '../../core/tables/catalogue.ts';
import type { Catalogue, CatalogueColumn, CatalogueTable, Preset } from '../../core/tables/catalogue.ts';
import { byTable } from '../sql/by-table.ts';
import { quoteName, quoteText } from '../sql/quote.ts';
import { onDeleteIn } from '../sql/tables.ts';
import { command } from './ask.ts';
import { columnKind } from './column-kind.ts';

const TABLES = `
  SELECT table_name, table_type, table_comment FROM information_schema.tables
  WHERE table_schema = database() AND table_type IN ('BASE TABLE', 'VIEW', 'SYSTEM VERSIONED') ORDER BY table_name`;

const COLUMNS = `
  SELECT table_name, column_name, data_type, column_type, character_maximum_length, numeric_precision, numeric_scale,
    datetime_precision, collation_name, is_nullable, column_default, extra, column_comment,
    generation_expression IS NOT NULL, character_set_name, generation_expression
  FROM information_schema.columns WHERE table_schema = database() ORDER BY table_name, ordinal_position`;

/** Whole columns alone: of a text, an index may hold the beginning. */
const INDEXES = `
  SELECT table_name, index_name, non_unique, group_concat(column_name ORDER BY seq_in_index SEPARATOR '\n')
  FROM information_schema.statistics WHERE table_schema = database() AND index_type = 'BTREE'
  GROUP BY table_name, index_name, non_unique HAVING max(sub_part) IS NULL ORDER BY table_name, index_name`;

const REFERENCES = `
  SELECT k.table_name, k.referenced_table_name, r.delete_rule,
    group_concat(k.column_name ORDER BY k.ordinal_position SEPARATOR '\n'),
    group_concat(k.referenced_column_name ORDER BY k.ordinal_position SEPARATOR '\n'), k.constraint_name
  FROM information_schema.key_column_usage AS k
  JOIN information_schema.referential_constraints AS r
    ON r.constraint_schema = k.constraint_schema AND r.constraint_name = k.constraint_name
    AND r.table_name = k.table_name
  WHERE k.table_schema = database() AND k.referenced_table_schema = database()
  GROUP BY k.table_name, k.constraint_name, k.referenced_table_name, r.delete_rule
  ORDER BY k.table_name, k.constraint_name`;

const CHECKS = `
  SELECT table_name, check_clause FROM information_schema.check_constraints
  WHERE constraint_schema = database() ORDER BY table_name, constraint_name`;

const VIEWS = `
  SELECT table_name, view_definition FROM information_schema.views WHERE table_schema = database() ORDER BY table_name`;

type Cells = readonly StoreValue[];

/** The tables and views of the database that the account may read. */
export async function readCatalogue(client: Connection): Promise<Catalogue> {
  const rows = async (sql: string): Promise<readonly Cells[]> => (await command(client, sql)).rows;
  const tables = await rows(TABLES);
  const columnsOf = byTable(await rows(COLUMNS));
  const indexesOf = byTable(await rows(INDEXES));
  const referencesOf = byTable(await rows(REFERENCES));
  const checksOf = byTable(await rows(CHECKS));
  const viewsOf = byTable(await rows(VIEWS));
  const [[database, isReadOnly] = []] = await rows('SELECT database(), @@read_only');
  const grants = (await rows('SHOW GRANTS')).map(([line]) => String(line));
  const may = rightsIn(grants, String(database), Number(isReadOnly) === 1);
  return {
    tables: tables.map(([name, type, comment]): CatalogueTable => {
      // `length` counts bytes.
      const clauses = checksOf(name).map(([, clause]) => String(clause).replace(/\blength\(/g, 'octet_length('));
      const found = indexesOf(name).map(([, index, nonUnique, of]) => ({
        name: String(index),
        isKey: index === 'PRIMARY',
        isUnique: Number(nonUnique) === 0,
        of: listed(of),
      }));
      return {
        name: String(name),
        isView: type === 'VIEW',
        view: viewsOf(name).map(([, words]) => viewText(String(name), String(words), String(database)))[0],
        comment: type === 'VIEW' ? undefined : textOrNone(comment),
        columns: columnsOf(name).map((cells) => columnOf(cells, clauses)),
        key: found.find(({ isKey }) => isKey)?.of ?? [],
        unique: found.filter(({ isKey, isUnique }) => isUnique && !isKey).map(({ of }) => of),
        indexes: found.filter(({ isUnique }) => !isUnique).map(({ of }) => of),
        named: found
          .filter(({ isKey }) => !isKey)
          .map(({ name, isUnique, of: columns }) => ({ name, isUnique, columns, isRule: false })),
        references: referencesOf(name).map(([, table, onDelete, from, key, called]) => ({
          name: String(called),
          columns: listed(from),
          table: String(table),
          key: listed(key),
          onDelete: onDeleteIn(String(onDelete)),
        })),
        checks: clauses,
        may: may(String(name)),
      };
    }),
  };
}

/** What makes a view again, in whatever database. */
const viewText = (name: string, words: string, database: string): string =>
  `CREATE VIEW ${quoteName(name)} AS ${words.replaceAll(`\`${database.replaceAll('`', '``')}\`.`, '')}`;

const listed = (cell: StoreValue | undefined): string[] => String(cell).split('\n');
const textOrNone = (cell: StoreValue | undefined): string | undefined =>
  cell === null || cell === '' ? undefined : String(cell);
const numberOrNone = (cell: StoreValue | undefined): number | undefined => (cell === null ? undefined : Number(cell));

function columnOf(cells: Cells, checks: readonly string[]): CatalogueColumn {
  const [
    ,
    name,
    base,
    whole,
    length,
    digits,
    scale,
    fraction,
    collation,
    nullable,
    preset,
    extra,
    comment,
    isWorkedOut,
    letters,
    workedOut,
  ] = cells;
  const isJson = checks.some((clause) => clause.replaceAll('`', '"') === `json_valid("${String(name)}")`);
  const isNumbered = String(extra).includes('auto_increment');
  const isMade = Number(isWorkedOut) === 1;
  return {
    name: String(name),
    type: String(whole),
    kind: columnKind({
      base: String(base).toLowerCase(),
      whole:
        String(whole).toLowerCase().startsWith('enum') || String(whole).startsWith('set')
          ? String(whole)
          : String(whole).toLowerCase(),
      length: numberOrNone(length),
      digits: numberOrNone(digits),
      scale: numberOrNone(scale),
      fraction: numberOrNone(fraction),
      collation: textOrNone(collation),
      letters: textOrNone(letters),
      isJson,
    }),
    nullable: nullable === 'YES',
    preset: preset === null || isMade ? undefined : presetOf(String(preset)),
    made: isNumbered ? 'number' : isMade ? 'value' : undefined,
    comment: textOrNone(comment),
    words: {
      type: String(whole) + (letters === null ? '' : ` CHARACTER SET ${String(letters)} COLLATE ${String(collation)}`),
      more: moreOf(
        isMade
          ? `GENERATED ALWAYS AS (${String(workedOut)}) ${/stored/i.test(String(extra)) ? 'STORED' : 'VIRTUAL'}`
          : '',
        isMade || preset === null || /^NULL$/i.test(String(preset)) ? '' : `DEFAULT ${String(preset)}`,
        /on update [^ ]+/i.exec(String(extra))?.[0] ?? '',
        isJson ? `CHECK (json_valid(${quoteName(String(name))}))` : '',
        comment === '' || comment === null ? '' : `COMMENT ${quoteText(String(comment))}`,
      ),
    },
  };
}

const moreOf = (...words: readonly string[]): string | undefined =>
  words.filter((word) => word !== '').join(' ') || undefined;

function presetOf(words: string): Preset | undefined {
  if (/^NULL$/i.test(words)) return undefined;
  if (/^(current_timestamp|now|curdate|current_date)\(\d?\)$/i.test(words)) return 'now';
  if (/^uuid\(\)$/i.test(words)) return 'uuid';
  const value = constantIn(words.replaceAll("\\'", "''"));
  return value === undefined ? { words } : { value };
}

type Rights = CatalogueTable['may'];

/** What the lines of `SHOW GRANTS` allow: on all, on the database, on a table. */
function rightsIn(grants: readonly string[], database: string, isReadOnly: boolean): (table: string) => Rights {
  const parts = grants.flatMap((line) => {
    const [, what = '', of = '', table = ''] =
      /^GRANT (.+?) ON (\*|`(?:[^`]|``)*`)\.(\*|`(?:[^`]|``)*`) TO /.exec(line) ?? [];
    const isHere = of === '*' || matches(of.slice(1, -1).replaceAll('``', '`'), database);
    return isHere ? [{ what, table: table === '*' ? undefined : table.slice(1, -1).replaceAll('``', '`') }] : [];
  });
  return (name) => {
    const own = parts.filter(({ table }) => table === undefined || table === name).map(({ what }) => what);
    const has = (act: string): boolean =>
      !isReadOnly && own.some((what) => what === 'ALL PRIVILEGES' || what.split(', ').includes(act));
    return { insert: has('INSERT'), update: has('UPDATE'), delete: has('DELETE') };
  };
}

const literal = (part: string): string => part.replace(/^\\/, '').replace(/[\^$\\.*+?()[\]{}|]/g, '\\$&');

/** The name of a database in a grant may be a pattern. */
function matches(pattern: string, database: string): boolean {
  const parts = pattern.split(/(\\[_%]|[_%])/);
  const source = parts.map((part) => (part === '%' ? '.*' : part === '_' ? '.' : literal(part)));
  return new RegExp(`^${source.join('')}$`).test(database);
}
