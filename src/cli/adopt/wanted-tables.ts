import { nearest } from '../../core/text/nearest.ts';
import { EXIT, Failure } from '../../project/failure.ts';

/** Which tables `--only` and `--except` leave: each is a list of names, in which `*` stands for any letters. */
export function wantedTables(
  tables: readonly string[],
  { only, except }: { readonly only: string | undefined; readonly except: string | undefined },
): (table: string) => boolean {
  const taken = only === undefined ? undefined : patternsIn('--only', only, tables);
  const left = except === undefined ? [] : patternsIn('--except', except, tables);
  const isAmong = (patterns: readonly RegExp[], table: string): boolean => patterns.some((one) => one.test(table));
  return (table) => (taken === undefined || isAmong(taken, table)) && !isAmong(left, table);
}

function patternsIn(option: string, text: string, tables: readonly string[]): RegExp[] {
  const names = text.split(',').map((name) => name.trim());
  return names.map((name) => {
    const parts = name.split('*').map((part) => part.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&'));
    const pattern = new RegExp(`^${parts.join('.*')}$`, 'iu');
    if (tables.some((table) => pattern.test(table))) return pattern;
    const near = nearest(name, tables);
    const remedy = near === undefined ? `the tables are ${some(tables)}` : `did you mean ${near}?`;
    throw new Failure(EXIT.wrongCommand, `${option} ${name}: the database has no such table`, remedy);
  });
}

const MOST = 12;

const some = (tables: readonly string[]): string =>
  tables.length === 0 ? 'none' : tables.slice(0, MOST).join(', ') + (tables.length > MOST ? ', …' : '');
