import { LRUCache } from 'lru-cache';
import type { Row, StoreValue } from '../../core/sql/statement.ts';
import { allRows, connect, firstRow, prepare } from './connect.ts';
import type { Prepared } from './connect.ts';

// Runs as a process of its own: the driver does nothing else while a statement runs, and only a process can be
// stopped in the midst of one.

/** A read, and how it went. */
export interface Ask {
  readonly sql: string;
  readonly values: readonly StoreValue[];
  readonly all: boolean;
}
export type Told = { readonly rows: readonly Row[] } | { readonly error: { code?: string; message: string } };

const KEPT_STATEMENTS = 100;

// It ends with the service, and not before: a terminal sends its signals to all of a group.
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => undefined);
process.on('disconnect', () => process.exit());

const connection = connect(process.argv[2]!, process.argv[3] !== undefined);
const statements = new LRUCache<string, Prepared>({ max: KEPT_STATEMENTS });

process.on('message', (ask: Ask) => process.send!(read(ask)));

function read({ sql, values, all }: Ask): Told {
  try {
    let found = statements.get(sql);
    if (found === undefined) statements.set(sql, (found = prepare(connection, sql)));
    if (all) return { rows: allRows(found, values) };
    const row = firstRow(found, values);
    return { rows: row === undefined ? [] : [row] };
  } catch (error) {
    // The driver doesn't reset a statement that failed.
    statements.delete(sql);
    const { code, message } = error as { code?: string; message: string };
    return { error: { code, message } };
  }
}
