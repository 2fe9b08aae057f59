/** Comments, texts, quoted names, and the bodies of functions, in which words are no statements. */
const NOT_CODE = /--[^\n]*|`[^`]*`|\/\*[^]*?\*\/|'(?:[^']|'')*'|"(?:[^"]|"")*"|(\$[a-z_]*\$)[^]*?\1/gi;

/** The bodies of triggers, and of functions in SQL: they end with an END of their own. */
const BODIES =
  /\bCREATE\s+(?:TEMP(?:ORARY)?\s+)?TRIGGER\b[^]*?\bBEGIN\b[^]*?;\s*END\b|\bBEGIN\s+ATOMIC\b[^]*?;\s*END\b/gi;

const ENDING =
  /(?:^|;)\s*(COMMIT|ROLLBACK(?!\s+(?:\w+\s+)?TO\b)|ABORT|BEGIN|START\s+TRANSACTION|END|PREPARE\s+TRANSACTION)\b/i;

/**
 * The first words of a script that would end the transaction it runs in, or begin another; undefined where there are
 * none.
 */
export function endsTransaction(sql: string): string | undefined {
  const code = sql.replaceAll(NOT_CODE, ' ').replaceAll(BODIES, ' ');
  return ENDING.exec(code)?.[1]?.replace(/[\s;]+$/, '');
}

/**
 * The statements of a script, each with the remarks before it.
 */
export function statementsOf(sql: string): string[] {
  const code = codeOf(sql).replaceAll(BODIES, (text) => ' '.repeat(text.length));
  const statements: string[] = [];
  let from = 0;
  for (let at = code.indexOf(';'); at >= 0; at = code.indexOf(';', from)) {
    statements.push(sql.slice(from, at));
    from = at + 1;
  }
  // What follows the last one may be no more than remarks.
  return code.slice(from).trim() === '' ? statements : [...statements, sql.slice(from)];
}

/** A script without what is no code in it, every word in its place. */
export const codeOf = (sql: string): string => sql.replaceAll(NOT_CODE, (text) => ' '.repeat(text.length));

/** Where a script first drops a table; -1 where it does not. */
export const firstDrop = (sql: string): number => codeOf(sql).search(/(?<=^|;)\s*DROP\s+TABLE\b/i);
