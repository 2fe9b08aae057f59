import { quoteName, quoteText } from './quote.ts';

/** A table, with the columns of its primary key. */
export interface CopiedTable {
  readonly name: string;
  readonly key: readonly string[];
}

/** A connection on which references are left alone. */
export interface RestoreConnection {
  /** Whether references are left alone; where they are not, all tables are emptied and filled at once. */
  readonly isFree: boolean;
  tables(): Promise<readonly CopiedTable[]>;
  /** The statements that put the keys of changed rows of a table into another table. */
  readonly watch: (table: CopiedTable, into: string) => string;
  /** Sets the keys of changed rows aside, where no statement may read them that changes the table; and where to. */
  aside?(changed: string): { readonly statement: string; readonly name: string };
  /** What puts back rows that were changed along with those of some tables, and that nothing has watched. */
  unwatched?(names: readonly string[]): readonly string[];
  /** Runs statements in one transaction. */
  run(script: string): Promise<void>;
  /** The texts in the first column. */
  names(query: string): Promise<readonly string[]>;
  close(): Promise<void>;
}

export const COPY = 'kept_';
export const CHANGED = 'changed_';

export interface WatchScript {
  /** Makes the copies, and begins to watch. */
  readonly prepare: string;
  /** Gives the names of tables whose rows have changed. */
  readonly changed: string;
  /** What puts the rows of a table back. */
  readonly restore: ReadonlyMap<string, string>;
  /** What puts all rows of all tables back, where references of some to others are looked after. */
  readonly whole: string;
}

export function watchScript(
  tables: readonly CopiedTable[],
  { watch, aside }: Pick<RestoreConnection, 'watch' | 'aside'>,
): WatchScript {
  const prepare: string[] = [];
  const restore = new Map<string, string>();
  for (const table of tables) {
    const [name, copy, changed] = [table.name, COPY + table.name, CHANGED + table.name].map(quoteName) as [
      string,
      string,
      string,
    ];
    const columns = table.key.map(quoteName).join(', ');
    prepare.push(
      `CREATE TABLE ${copy} AS SELECT * FROM ${name}`,
      `CREATE TABLE ${changed} AS SELECT ${columns} FROM ${name} WHERE 1 = 0`,
      `CREATE INDEX ${quoteName(`by_key_${table.name}`)} ON ${copy} (${columns})`,
      watch(table, CHANGED + table.name),
    );
    const keys = aside?.(CHANGED + table.name);
    const from = keys === undefined ? changed : quoteName(keys.name);
    const among = `WHERE (${columns}) IN (SELECT ${columns} FROM ${from})`;
    restore.set(
      table.name,
      [
        ...(keys === undefined ? [] : [keys.statement]),
        `DELETE FROM ${name} ${among}`,
        `INSERT INTO ${name} SELECT * FROM ${copy} ${among}`,
        // Last: putting rows back changes them, too.
        `DELETE FROM ${changed}`,
      ].join(';\n'),
    );
  }
  const looks = tables.map(
    ({ name }) => `SELECT ${quoteText(name)} WHERE EXISTS (SELECT 1 FROM ${quoteName(CHANGED + name)})`,
  );
  const all = tables.map(({ name }) => name);
  const quoted = (prefix: string): string => all.map((name) => quoteName(prefix + name)).join(', ');
  const whole = [
    `TRUNCATE ${quoted('')}`,
    ...all.map((name) => `INSERT INTO ${quoteName(name)} SELECT * FROM ${quoteName(COPY + name)}`),
    `TRUNCATE ${quoted(CHANGED)}`,
  ];
  return { whole: whole.join(';\n'), prepare: prepare.join(';\n'), changed: looks.join(' UNION ALL '), restore };
}
