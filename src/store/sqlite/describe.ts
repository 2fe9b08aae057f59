import type { Description } from '../../core/tables/description.ts';

/** A row of `sqlite_schema`: what it is, its table, its name, and the statement that made it. */
export interface SchemaRow {
  readonly type: string;
  readonly table: string;
  readonly name: string;
  readonly sql: string;
  /** Where it begins in the file: another place is another table. */
  readonly page: number;
}

/**
 * SQLite keeps the statements that made its tables, and changes them along with the tables: they describe all there
 * is.
 */
export function describe(rows: readonly SchemaRow[]): Description {
  const tables: Record<string, Record<string, string>> = {};
  for (const { type, name, sql } of rows) {
    if (type === 'table' && !name.startsWith('sqlite_')) tables[name] = tableParts(sql);
  }
  for (const { type, table, name, sql } of rows) {
    if (type === 'index' && tables[table] !== undefined) tables[table][`index ${name}`] = normal(sql);
  }
  return tables;
}

function tableParts(sql: string): Record<string, string> {
  const parts: Record<string, string> = {};
  const [open, close] = [sql.indexOf('('), sql.lastIndexOf(')')];
  for (const definition of split(sql.slice(open + 1, close))) {
    const text = normal(definition);
    const name = /^(?:"([^"]+)"|(\S+))/.exec(definition.trim());
    parts[`column ${name?.[1] ?? name?.[2] ?? text}`] = text.slice(text.indexOf(' ') + 1);
  }
  const options = normal(sql.slice(close + 1));
  if (options !== '') parts.options = options;
  return parts;
}

/** A text cut at the commas that stand within no brackets and no quotes. */
function split(text: string): string[] {
  const pieces: string[] = [];
  let [depth, from] = [0, 0];
  let quote: string | undefined;
  for (let at = 0; at < text.length; at += 1) {
    const letter = text[at]!;
    if (quote !== undefined) {
      if (letter === quote) quote = undefined;
    } else if (letter === '"' || letter === "'") quote = letter;
    else if (letter === '(') depth += 1;
    else if (letter === ')') depth -= 1;
    else if (letter === ',' && depth === 0) {
      pieces.push(text.slice(from, at));
      from = at + 1;
    }
  }
  return [...pieces, text.slice(from)];
}

/**
 * The same text for the same statement, however it was written: without quotes that need not be, in one letter case.
 */
const normal = (sql: string): string =>
  sql
    .split(/('(?:[^']|'')*')/)
    .map((piece, index) => (index % 2 === 1 ? piece : plain(piece)))
    .join('')
    .trim();

const plain = (piece: string): string =>
  piece
    .replaceAll('"', '')
    .replace(/\s+/g, ' ')
    .replace(/ ?([(),]) ?/g, '$1')
    .toLowerCase();
