import type { Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Reader } from '../../core/store/contract.ts';
import { tooSlow } from '../base/options.ts';
import { readsWith } from '../base/reads.ts';
import type { Query } from './ask.ts';
import { isCutOff } from './errors.ts';
import type { Failures } from './failures.ts';
import type { Pools } from './pools.ts';
import type { PreparedStatements } from './prepared.ts';

/** Reads outside of transactions; `check` is asked behind each. */
export function readsOn(
  { reads, pipes, slowly }: Pools,
  { queryOf }: PreparedStatements,
  failures: Failures,
  check: () => Query | undefined,
  longestRead: number,
): Reader {
  const queryFor = (statement: Statement, values: readonly StoreValue[]): Query => ({
    ...queryOf(statement, values),
    check: check(),
  });
  return readsWith({
    longestRead,
    ask: (statement, values) => (statement.light === true ? pipes : reads).query(queryFor(statement, values)),
    askSlowly:
      slowly && ((statement, values, requester) => slowly(requester, (on) => on.query(queryFor(statement, values)))),
    async refusalOf(error, { sql }) {
      const refusal = await failures.ofStatement(error, sql);
      return isCutOff(refusal) ? tooSlow(longestRead) : refusal;
    },
  });
}
