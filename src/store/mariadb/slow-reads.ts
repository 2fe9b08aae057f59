import type { Pool } from 'mariadb/callback';
import type { Requester } from '../../core/store/contract.ts';
import { makeFairLine } from '../base/fair-line.ts';
import { askOn } from './ask.ts';
import type { Queryable } from './ask.ts';
import { connectionOf, giveBack } from './lent.ts';

/** Asks for a read that may take long, on one of the connections for such. */
export type SlowReads = <Result>(
  requester: Requester | undefined,
  ask: (on: Queryable) => Promise<Result>,
) => Promise<Result>;

/**
 * A read whose time is up, or for which nobody waits any more, is ended over one of the connections of `others`.
 */
export function makeSlowReads(pool: Pool, places: number, longest: number, others: Queryable): SlowReads {
  const line = makeFairLine(places, longest);
  return (requester, ask) =>
    line.run(requester, async (stop) => {
      const client = await connectionOf(pool);
      let ended: Promise<unknown> = Promise.resolve();
      const end = (): void => {
        ended = others.query({ text: `KILL QUERY ${Number(client.threadId)}` }).catch(() => undefined);
      };
      stop.addEventListener('abort', end, { once: true });
      try {
        return await ask({ query: (query) => askOn(client, query) });
      } finally {
        stop.removeEventListener('abort', end);
        // It must not meet the next statement of this connection.
        await ended;
        giveBack(client, stop.aborted);
      }
    });
}
