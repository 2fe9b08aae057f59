import type { Pool, PoolConnection } from 'mariadb/callback';
import { transactionsWith } from '../base/transactions.ts';
import type { RunOnce } from '../base/transactions.ts';
import { isCutOff, isLost, storeError } from './errors.ts';
import { connectionOf, giveBack } from './lent.ts';
import { makeLine } from './line.ts';
import type { LineParts } from './line.ts';
import { CONNECTIONS } from './pools.ts';

export const transactionsOn = (
  writing: Pool,
  parts: LineParts,
  shown: string,
  mostWaiting: number,
): RunOnce<PoolConnection> =>
  transactionsWith({
    mostWaiting,
    isLost,
    isCutOff,
    isFull: () => writing.activeConnections() === CONNECTIONS,
    waiting: () => writing.taskQueueSize(),
    async lend() {
      const client = await connectionOf(writing).catch((error: unknown) => {
        throw storeError(error, shown);
      });
      return {
        client,
        line: makeLine(client, parts),
        breakOff: () => client.destroy(),
        giveBack: (broken) => giveBack(client, broken !== undefined),
      };
    },
  });
