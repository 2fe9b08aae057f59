import type { PoolClient } from 'pg';
import type { Statement, StoreValue } from '../../core/sql/statement.ts';
import { StoreError } from '../../core/store/contract.ts';
import type { Transaction } from '../../core/store/contract.ts';
import { tooManyWriters, transactionTooSlow } from '../base/options.ts';
import { startTimeLimit, transactionOver } from '../base/time-limit.ts';
import type { TimeLimit } from '../base/time-limit.ts';
import { isCutOff, storeError } from './errors.ts';
import { isLost } from './failures.ts';
import type { Failures } from './failures.ts';
import { CONNECTIONS } from './pools.ts';
import type { Pools } from './pools.ts';
import { SILENCE_MS } from './prepared.ts';
import type { PreparedStatements } from './prepared.ts';
import { heldCommit } from './tables-mark.ts';

/** Runs work in one transaction, once; `longest` in milliseconds. */
export type RunOnce = <Result>(
  work: (handle: Transaction, client: PoolClient) => Promise<Result>,
  longest?: number,
) => Promise<Result>;

/** What the transactions of one store are run with. */
interface Transactions {
  readonly prepared: PreparedStatements;
  readonly failures: Failures;
}

export function transactionsOn(
  { writing, begin }: Pools,
  parts: Transactions,
  shown: string,
  mostWaiting: number,
): RunOnce {
  const isFull = (): boolean => writing.idleCount === 0 && writing.totalCount === CONNECTIONS;
  return async (work, longest) => {
    if (isFull() && writing.waitingCount > mostWaiting) throw tooManyWriters(mostWaiting);
    const client = await writing.connect().catch((error: unknown) => {
      throw isFull() ? tooManyWriters(writing.waitingCount) : storeError(error, shown);
    });
    const limit = startTimeLimit(longest);
    const transaction = transactionOn(client, parts, limit, longest);
    let broken: Error | undefined;
    let isReleased = false;
    try {
      await command(client, parts, begin, longest);
      const result = await limit.race(work(transaction.handle, client));
      transaction.end();
      await commit(client, parts, longest);
      return result;
    } catch (error) {
      transaction.end();
      if (isLost(error)) {
        // There is nothing to be rolled back to over a connection that has gone, and nobody knows where it stands.
        broken = error as Error;
        throw error;
      }
      // A statement that still runs, or waits for a lock, must not keep the client of the service waiting.
      const rolledBack = command(client, parts, 'ROLLBACK', longest).catch((other: Error) => (broken = other));
      isReleased = limit.isUp();
      if (isReleased) void rolledBack.then(() => client.release(broken));
      else await rolledBack;
      if (longest !== undefined && isCutOff(error)) throw transactionTooSlow(longest);
      throw error;
    } finally {
      limit.end();
      if (!isReleased) client.release(broken);
    }
  };
}

/** A command without values, whose name nothing else needs. */
const command = (client: PoolClient, { failures }: Transactions, text: string, longest?: number): Promise<unknown> =>
  client
    .query({ text, ...(longest === undefined ? {} : { query_timeout: longest + SILENCE_MS }) })
    .catch((error: unknown) => {
      throw failures.of(error);
    });

function commit(client: PoolClient, parts: Transactions, longest: number | undefined): Promise<unknown> {
  const { held } = parts.prepared;
  return command(client, parts, held === undefined ? 'COMMIT' : heldCommit(held), longest).catch((error: unknown) => {
    const { message, remedy } = error as StoreError;
    throw isLost(error) ? new StoreError({ kind: 'uncertain' }, message, remedy, error) : error;
  });
}

/** A transaction's own handle: after the end it refuses, instead of writing outside. */
function transactionOn(
  client: PoolClient,
  parts: Transactions,
  limit: TimeLimit,
  longest: number | undefined,
): { handle: Transaction; end(): void } {
  let over = false;
  let points = 0;
  const run = (text: string): Promise<unknown> => command(client, parts, text, longest);
  const query = async (statement: Statement, values: readonly StoreValue[]) => {
    if (over) throw transactionOver();
    try {
      return await parts.prepared.ask(client, statement, values, longest);
    } catch (error) {
      throw await parts.failures.ofStatement(error);
    }
  };
  const handle: Transaction = {
    get signal() {
      return limit.signal;
    },
    first: async (statement, values) => (await query(statement, values)).rows[0],
    all: async (statement, values) => (await query(statement, values)).rows,
    run: async (statement, values) => (await query(statement, values)).rowCount ?? 0,
    async nested(work) {
      if (over) throw transactionOver();
      const point = `n${(points += 1)}`;
      await run(`SAVEPOINT ${point}`);
      try {
        const result = await work();
        if (over) throw transactionOver();
        await run(`RELEASE ${point}`);
        return result;
      } catch (error) {
        // Where all of it is over, its part went with it.
        if (!over) await run(`ROLLBACK TO ${point}`);
        throw error;
      }
    },
  };
  return { handle, end: () => void (over = true) };
}
