import type { PoolClient } from 'pg';
import { transactionsWith } from '../base/transactions.ts';
import type { RunOnce } from '../base/transactions.ts';
import { breakOff } from './ask.ts';
import { isCutOff, storeError } from './errors.ts';
import { isLost } from './failures.ts';
import { makeLine } from './line.ts';
import type { LineParts } from './line.ts';
import { CONNECTIONS } from './pools.ts';
import type { Pools } from './pools.ts';

export const transactionsOn = (
  { writing, begin }: Pools,
  parts: LineParts,
  shown: string,
  mostWaiting: number,
): RunOnce<PoolClient> =>
  transactionsWith({
    mostWaiting,
    isLost,
    isCutOff,
    isFull: () => writing.idleCount === 0 && writing.totalCount === CONNECTIONS,
    waiting: () => writing.waitingCount,
    async lend() {
      const client = await writing.connect().catch((error: unknown) => {
        throw storeError(error, shown);
      });
      const line = makeLine(client, parts);
      // Its answer comes before that of the first statement, which leaves with it.
      line.begin(begin);
      return { client, line, breakOff: () => breakOff(client), giveBack: (broken) => client.release(broken) };
    },
  });
