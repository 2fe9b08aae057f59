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
  const all = tokensOf(sql);
  const [open, close] = [all.indexOf('('), all.lastIndexOf(')')];
  const parts: Record<string, string> = {};
  for (const definition of split(all.slice(open + 1, close))) {
    const [first = '', ...rest] = definition.filter((token) => token.trim() !== '');
    parts[`column ${nameIn(first) ?? first}`] = normal(rest.join(' '));
  }
  const options = normal(all.slice(close + 1).join(''));
  if (options !== '') parts.options = options;
  return parts;
}

/** The conditions of all checks in a statement that makes a table. */
export function checksIn(sql: string): string[] {
  const all = tokensOf(sql).filter((token) => token.trim() !== '');
  return all.flatMap((token, at) => {
    if (token.toLowerCase() !== 'check' || all[at + 1] !== '(') return [];
    return [all.slice(at + 2, closing(all, at + 1)).join(' ')];
  });
}

/** How a column is worked out, in its words; undefined where it isn't. */
export function workedOutIn(words: string): string | undefined {
  const all = tokensOf(words).filter((token) => token.trim() !== '');
  const at = all.findIndex((token, place) => token.toLowerCase() === 'as' && all[place + 1] === '(');
  if (at < 0) return undefined;
  const end = closing(all, at + 1);
  const kind = all[end + 1]?.toLowerCase() === 'stored' ? ' STORED' : '';
  return `GENERATED ALWAYS AS ${all.slice(at + 1, end + 1).join(' ')}${kind}`;
}

/** The place of the bracket that closes the one at a place. */
function closing(tokens: readonly string[], open: number): number {
  let depth = 0;
  return tokens.findIndex((token, at) => {
    if (at < open) return false;
    depth += token === '(' ? 1 : token === ')' ? -1 : 0;
    return depth === 0;
  });
}

/** Names and texts in quotes, brackets and commas, words, and what is between them. */
const TOKEN = /"(?:[^"]|"")*"|'(?:[^']|'')*'|`[^`]*`|\[[^\]]*\]|[(),]|\s+|[^\s"'`[(),]+/g;
const MARKS = ['(', ')', ','];

const tokensOf = (sql: string): string[] => sql.match(TOKEN) ?? [];

/** The name in quotes; undefined where there are none. */
function nameIn(token: string): string | undefined {
  if (token.startsWith('"')) return token.slice(1, -1).replaceAll('""', '"');
  return /^[`[]/.test(token) ? token.slice(1, -1) : undefined;
}

/** Tokens cut at the commas that stand within no brackets. */
function split(tokens: readonly string[]): string[][] {
  const pieces: string[][] = [[]];
  let depth = 0;
  for (const token of tokens) {
    if (token === ',' && depth === 0) pieces.push([]);
    else pieces.at(-1)!.push(token);
    if (token === '(') depth += 1;
    if (token === ')') depth -= 1;
  }
  return pieces;
}

/**
 * The same text for the same statement, however it was written: without quotes that need not be, in one letter case.
 */
function normal(sql: string): string {
  let text = '';
  let before = '(';
  for (const token of tokensOf(sql).filter((one) => one.trim() !== '')) {
    text += (MARKS.includes(token) || MARKS.includes(before) ? '' : ' ') + spelled(token);
    before = token;
  }
  return text;
}

function spelled(token: string): string {
  if (token.startsWith("'")) return token;
  const name = nameIn(token) ?? token;
  return (name === token || /^[A-Za-z_][A-Za-z0-9_]*$/.test(name) ? name : `"${name}"`).toLowerCase();
}
