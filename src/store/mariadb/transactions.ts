import type { Pool, PoolConnection } from 'mariadb/callback';
import { makeLender } from '../base/lender.ts';
import { tooManyWriters } from '../base/options.ts';
import { transactionsWith } from '../base/transactions.ts';
import type { RunOnce } from '../base/transactions.ts';
import { isCutOff, isLost, storeError } from './errors.ts';
import { connectionOf, giveBack } from './lent.ts';
import { makeLine } from './line.ts';
import type { LineParts } from './line.ts';
import { CONNECT_MS, CONNECTIONS } from './pools.ts';

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
    breakOff: (client) => client.destroy(),
    lender: makeLender({
      most: CONNECTIONS,
      longest: CONNECT_MS,
      connect: () => connectionOf(writing),
      release: (client, broken) => giveBack(client, broken !== undefined),
      waiting: () => writing.taskQueueSize(),
    }),
    failureOf: (error) =>
      writing.activeConnections() === CONNECTIONS ? tooManyWriters(writing.taskQueueSize()) : storeError(error, shown),
    begin: (client) => makeLine(client, parts),
  });
