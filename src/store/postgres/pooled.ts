import type pg from 'pg';
import { askOn } from './ask.ts';
import type { Queryable } from './ask.ts';

/** Begins a transaction of so many milliseconds. Behind a pooler that is said each time: no connection remembers it. */
export const beginText = (isPooled: boolean, longest: number): string =>
  isPooled ? `BEGIN; SET LOCAL statement_timeout = ${longest}` : 'BEGIN';

/** Reads behind a pooler, each in a transaction of its own, which carries its limit; sent in one go. */
export function pooledReads(pool: pg.Pool, longest: number): Queryable {
  return {
    async query(query) {
      const client = await pool.connect();
      let broken: Error | undefined;
      const border = (text: string): Promise<unknown> =>
        client.query(text).catch((error: unknown) => (broken = error as Error));
      try {
        const begun = border(beginText(true, longest));
        const answer = askOn(client, query);
        const ended = border('COMMIT');
        return await answer.finally(() => Promise.all([begun, ended]));
      } finally {
        client.release(broken);
      }
    },
  };
}
