import { format } from 'sql-formatter';
import { isBorder } from '../../store/traced.ts';
import type { TracedStatement } from '../../store/traced.ts';
import { rowsText } from '../terminal/exchange.ts';
import type { Terminal } from '../terminal/terminal.ts';

/** Statements for MariaDB have names in double quotes, and numbered placeholders. */
const LANGUAGES = { sqlite: 'sqlite', postgres: 'postgresql', mariadb: 'sqlite' } as const;

/** A statement over several lines; what the formatter can't read stays as it is. */
export function sqlText(sql: string, kind: string): string {
  try {
    const text = format(sql, { language: LANGUAGES[kind as keyof typeof LANGUAGES], expressionWidth: 96, tabWidth: 2 });
    // A member of a JSON object belongs to its value.
    return text.replaceAll(/^( *'[^'\n]*',)\n +/gm, '$1 ');
  } catch {
    return sql;
  }
}

/**
 * Statements one below the other, each with its time and rows. Their values are not shown: there may be secrets in
 * them.
 */
export function statementsText(asked: readonly TracedStatement[], kind: string, paint: Terminal['paint']): string {
  return asked
    .map((one) => {
      if (isBorder(one)) return paint.dim(one.statement.sql);
      return (
        `${paint.dim(`${one.milliseconds.toFixed(1)} ms, ${rowsText(one)}`)}\n` +
        `${sqlText(one.statement.sql, kind).replace(/^/gm, '  ')}`
      );
    })
    .join('\n');
}
