import type { Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Reader } from '../../core/store/contract.ts';
import { tooSlow } from '../base/options.ts';
import { readsWith } from '../base/reads.ts';
import { isCutOff } from './errors.ts';
import type { Failures } from './failures.ts';
import type { Pools } from './pools.ts';
import type { PreparedStatements } from './prepared.ts';
import type { Result } from './query.ts';

/** A named statement that a connection does not know: what was to prepare it has failed, on the way before it. */
const UNKNOWN_NAME = '26000';

export function readsOn(
  { reads, pipes, slowly }: Pools,
  { ask, askUnnamed }: PreparedStatements,
  failures: Failures,
  longestRead: number,
): Reader {
  return readsWith({
    longestRead,
    ask: (statement: Statement, values: readonly StoreValue[]): Promise<Result> =>
      ask(statement.light === true ? pipes : reads, statement, values).catch((error: unknown) => {
        if ((error as { code?: unknown }).code !== UNKNOWN_NAME) throw error;
        return askUnnamed(reads, statement, values);
      }),
    askSlowly: slowly && ((statement, values, requester) => slowly(requester, (on) => ask(on, statement, values))),
    async refusalOf(error) {
      const refusal = await failures.ofStatement(error);
      return isCutOff(refusal) ? tooSlow(longestRead) : refusal;
    },
  });
}
