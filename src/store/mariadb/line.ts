import { StoreError } from '../../core/store/contract.ts';
import type { HandledLine } from '../base/handle.ts';
import { askOn, command } from './ask.ts';
import type { Client, Query, Result } from './ask.ts';
import { isLost, isPassing } from './errors.ts';
import type { Failures } from './failures.ts';
import type { PreparedStatements } from './prepared.ts';

/**
 * The statements of one transaction: each leaves as it is put, and MariaDB answers them in order. It goes on after one
 * that fails, so nothing is kept before the outcome of all is known; and after some failures it has taken all back, and
 * what comes then would be in another transaction.
 */
export interface Line extends HandledLine {
  commit(): Promise<void>;
  rollBack(): Promise<unknown>;
}

/** What the transactions of one store are run with. */
export interface LineParts {
  readonly prepared: PreparedStatements;
  readonly failures: Failures;
  /** What each begins with. */
  check(): Query | undefined;
  /** Whether another node may take a transaction back at any time, also between two statements. */
  readonly isCluster?: boolean;
}

/** A savepoint that is there as long as the transaction is. */
const WHOLE = 'whole';

export function makeLine(client: Client, { prepared, failures, check, isCluster = false }: LineParts): Line {
  /** Why a statement failed that nobody waits for. */
  let failed: StoreError | undefined;
  /** Why there is nothing left of the transaction. */
  let over: StoreError | undefined;
  const sent = new Set<Promise<unknown>>();

  async function put(query: Query): Promise<Result> {
    if (over !== undefined) throw over;
    try {
      return await askOn(client, query);
    } catch (error) {
      const found = await failures.ofStatement(error, query.text);
      if (isPassing(found) || isLost(found)) over ??= found;
      throw over ?? found;
    }
  }

  const ask: Line['ask'] = (statement, values) =>
    put(prepared.queryOf(statement, values)).catch((error: unknown) => {
      throw failed ?? error;
    });

  function noted<Outcome>(outcome: Promise<Outcome>): Promise<Outcome | undefined> {
    const done = outcome.catch((error: unknown) => void (failed ??= error as StoreError));
    sent.add(done);
    return done.finally(() => sent.delete(done));
  }

  const begun = check();
  if (begun !== undefined) void noted(put(begun));
  if (isCluster) void noted(put({ text: `SAVEPOINT ${WHOLE}` }));

  return {
    ask,
    send: (statement, values) => noted(put(prepared.sentOf(statement, values)).then(({ rowCount }) => rowCount)),
    mark: (point) => put({ text: `SAVEPOINT ${point}` }),
    keep: (point) => put({ text: `RELEASE SAVEPOINT ${point}` }),
    // Also of one that is over: what came behind its end is in another.
    rollBack: () => command(client, 'ROLLBACK'),
    async backTo(point) {
      await Promise.all(sent);
      await put({ text: `ROLLBACK TO ${point}` });
      failed = undefined;
    },
    async commit() {
      await Promise.all(sent);
      if (failed !== undefined) throw over ?? failed;
      // What came after a loss that no statement told of would be kept by itself.
      if (isCluster) await put({ text: `RELEASE SAVEPOINT ${WHOLE}` });
      try {
        await put({ text: 'COMMIT' });
      } catch (error) {
        // The connection was lost with the commit under way: nobody knows whether it was kept.
        if (isLost(error)) throw uncertain(error as StoreError);
        throw error;
      }
    },
  };
}

const uncertain = (lost: StoreError): StoreError =>
  new StoreError({ kind: 'uncertain' }, lost.message, lost.remedy, lost);
