import type pg from 'pg';
import type { Requester } from '../../core/store/contract.ts';
import { makeFairLine } from '../base/fair-line.ts';
import { queryableOf } from './ask.ts';
import type { Queryable } from './ask.ts';
import { pooledReads } from './pooled.ts';

/** Asks for a read that may take long, on one of the connections for such. */
export type SlowReads = <Result>(
  requester: Requester | undefined,
  ask: (on: Queryable) => Promise<Result>,
) => Promise<Result>;

/**
 * A read whose time is up, or for which nobody waits any more, is cancelled over one of the connections of `others`.
 */
export function makeSlowReads(pool: pg.Pool, placeholderCount: number, longest: number, others: pg.Pool): SlowReads {
  const line = makeFairLine(placeholderCount, longest);
  return (requester, ask) =>
    line.run(requester, async (stop) => {
      const client = await pool.connect();
      let cancelled: Promise<unknown> = Promise.resolve();
      const cancel = (): void => {
        const { processID } = client as pg.PoolClient & { readonly processID?: number };
        cancelled = others.query('SELECT pg_cancel_backend($1)', [processID]).catch(() => undefined);
      };
      stop.addEventListener('abort', cancel, { once: true });
      try {
        return await ask(queryableOf(client));
      } finally {
        stop.removeEventListener('abort', cancel);
        // It must not meet the next statement of this connection.
        await cancelled;
        client.release();
      }
    });
}

/** The same behind a pooler, where nobody knows which process of the server works: its own limit ends a read. */
export function pooledSlowReads(pool: pg.Pool, placeholderCount: number, longest: number): SlowReads {
  const line = makeFairLine(placeholderCount, longest);
  const reads = pooledReads(pool, longest);
  return (requester, ask) => line.run(requester, () => ask(reads));
}
