/** Comments, texts, quoted names, and the bodies of functions, in which words are no statements. */
const NOT_CODE = /--[^\n]*|\/\*[^]*?\*\/|'(?:[^']|'')*'|"(?:[^"]|"")*"|(\$[a-z_]*\$)[^]*?\1/gi;

const ENDING =
  /(?:^|;)\s*(COMMIT|ROLLBACK(?!\s+(?:\w+\s+)?TO\b)|ABORT|BEGIN\s*(?:;|$|TRANSACTION|WORK|DEFERRED|IMMEDIATE|EXCLUSIVE|ISOLATION|READ)|START\s+TRANSACTION|END\s+(?:TRANSACTION|WORK)|PREPARE\s+TRANSACTION)\b/i;

/** The first words of a script that would end the transaction it runs in, or begin another; undefined where there are none. */
export function endsTransaction(sql: string): string | undefined {
  return ENDING.exec(sql.replaceAll(NOT_CODE, ' '))?.[1]?.replace(/[\s;]+$/, '');
}
