import type { Pool, PoolClient } from 'pg';
import { makeLender } from '../base/lender.ts';
import { tooManyWriters } from '../base/options.ts';
import { transactionsWith } from '../base/transactions.ts';
import type { RunOnce } from '../base/transactions.ts';
import { breakOff } from './ask.ts';
import { isCutOff, storeError } from './errors.ts';
import { isLost } from './failures.ts';
import { makeLine } from './line.ts';
import type { LineParts } from './line.ts';
import { CONNECT_MS, CONNECTIONS } from './pools.ts';
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
    breakOff: (client) => breakOff(client),
    lender: makeLender({
      most: CONNECTIONS,
      longest: CONNECT_MS,
      connect: () => writing.connect(),
      release: (client, broken) => client.release(broken),
      waiting: () => writing.waitingCount,
    }),
    failureOf: (error) => (isUsedUp(writing) ? tooManyWriters(writing.waitingCount) : storeError(error, shown)),
    begin(client) {
      const line = makeLine(client, parts);
      // Its answer comes before that of the first statement, which leaves with it.
      line.begin(begin);
      return line;
    },
  });

const isUsedUp = ({ idleCount, totalCount }: Pool): boolean => idleCount === 0 && totalCount === CONNECTIONS;
