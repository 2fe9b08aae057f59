import type pg from 'pg';
import type { Row, Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Reader, Requester, StoreError } from '../../core/store/contract.ts';
import { tooSlow } from '../base/options.ts';
import { startClock } from '../base/time-limit.ts';
import { isCutOff } from './errors.ts';
import type { Failures } from './failures.ts';
import type { Pools } from './pools.ts';
import type { PreparedStatements } from './prepared.ts';

/** A named statement that a connection does not know: what was to prepare it has failed, on the way before it. */
const UNKNOWN_NAME = '26000';

type Answer = pg.QueryArrayResult<StoreValue[]>;

/** Reads outside of transactions, each in the time that it may take. */
export function readsOn(
  { reads, pipes, slowly }: Pools,
  { ask, askUnnamed }: PreparedStatements,
  failures: Failures,
  longestRead: number,
): Reader {
  const refusalOf = async (error: unknown): Promise<StoreError> => {
    const refusal = await failures.ofStatement(error);
    return isCutOff(refusal) ? tooSlow(longestRead) : refusal;
  };
  // Written out, because each promise between the driver and the service costs every read.
  const read = <Result>(
    statement: Statement,
    values: readonly StoreValue[],
    requester: Requester | undefined,
    take: (result: Answer) => Result,
  ): Promise<Result> =>
    new Promise((resolve, reject) => {
      const failed = (error: unknown): void => (end(), void refusalOf(error).then(reject));
      const answered = (result: Answer): void => (end(), resolve(take(result)));
      // A slow one has a clock of its own, which stops it.
      const isSlow = statement.slow === true && slowly !== undefined;
      const end = isSlow ? () => undefined : startClock(longestRead, () => reject(tooSlow(longestRead)));
      if (isSlow) return void slowly(requester, (on) => ask(on, statement, values)).then(answered, failed);
      ask(statement.light === true ? pipes : reads, statement, values).then(answered, (error: unknown) => {
        if ((error as { code?: unknown }).code !== UNKNOWN_NAME) return failed(error);
        void askUnnamed(reads, statement, values).then(answered, failed);
      });
    });
  return {
    first: (statement, values, requester) => read(statement, values, requester, rowOf),
    all: (statement, values, requester) => read(statement, values, requester, rowsOf),
  };
}

const rowsOf = ({ rows }: Answer): Row[] => rows;
const rowOf = ({ rows }: Answer): Row | undefined => rows[0];
