import { parentPort, workerData } from 'node:worker_threads';
import { LRUCache } from 'lru-cache';
import type { Row, StoreValue } from '../../core/store/contract.ts';
import { allRows, connect, firstRow, prepare } from './connect.ts';
import type { Prepared } from './connect.ts';

// Runs in a thread of its own: the driver does nothing else while a statement is at work.

/** A read, and how it went. */
export interface Ask {
  readonly sql: string;
  readonly values: readonly StoreValue[];
  readonly all: boolean;
}
export type Told = { readonly rows: readonly Row[] } | { readonly error: { code?: string; message: string } };

const KEPT_STATEMENTS = 100;

const connection = connect(workerData as string);
const statements = new LRUCache<string, Prepared>({ max: KEPT_STATEMENTS });

parentPort!.on('message', (ask: Ask) => parentPort!.postMessage(read(ask)));

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
