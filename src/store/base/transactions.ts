import { StoreError } from '../../core/store/contract.ts';
import type { Transaction } from '../../core/store/contract.ts';
import { handleOf } from './handle.ts';
import type { HandledLine } from './handle.ts';
import type { Lender } from './lender.ts';
import { tooManyWriters, transactionTooSlow } from './options.ts';
import { SILENCE_MS, startClock, startTimeLimit } from './time-limit.ts';

/** Runs work in one transaction, once; `longest` in milliseconds. */
export type RunOnce<Client> = <Result>(
  work: (handle: Transaction, client: Client) => Promise<Result>,
  longest?: number,
) => Promise<Result>;

/** The statements of one transaction, and its end. */
type Line = HandledLine & { commit(): Promise<void>; rollBack(): Promise<unknown> };

interface TransactionsOptions<Client> {
  readonly lender: Lender<Client>;
  /** A transaction, which has begun, or begins with its first statement. */
  begin(client: Client): Line;
  /** Ends a connection at once: whatever waits for it fails. */
  breakOff(client: Client): void;
  readonly mostWaiting: number;
  /** What is thrown where there is no connection to be had. */
  failureOf(error: unknown): unknown;
  /** Whether the connection was lost; whether the server ended a statement that took too long. */
  isLost(error: unknown): boolean;
  isCutOff(error: unknown): boolean;
}

/** Transactions over connections to a server, each on one of its own. */
export function transactionsWith<Client>(options: TransactionsOptions<Client>): RunOnce<Client> {
  const { lender, begin, breakOff, failureOf, mostWaiting, isLost, isCutOff } = options;
  return async (work, longest) => {
    if (lender.isFull() && lender.waiting() > mostWaiting) throw tooManyWriters(mostWaiting);
    const client = await lender.lend().catch((error: unknown) => {
      throw error instanceof StoreError ? error : failureOf(error);
    });
    const line = begin(client);
    const limit = startTimeLimit(longest);
    const answered = longest === undefined ? noClock : startClock(longest + SILENCE_MS, () => breakOff(client));
    const transaction = handleOf(line, limit);
    let broken: Error | undefined;
    let [isKept, isReleased] = [false, false];
    const release = (): void => {
      answered();
      lender.giveBack(client, isKept, broken);
    };
    try {
      const result = await limit.race(work(transaction.handle, client));
      transaction.end();
      await line.commit();
      isKept = true;
      return result;
    } catch (error) {
      transaction.end();
      if (isLost(error)) {
        // There is nothing to be rolled back to over a connection that has gone, and nobody knows where it stands.
        broken = error as Error;
        throw error;
      }
      // A statement that still runs, or waits for a lock, must not keep the client of the service waiting.
      const rolledBack = line.rollBack().catch((other: Error) => (broken = other));
      isReleased = limit.isUp();
      if (isReleased) void rolledBack.then(release);
      else await rolledBack;
      if (longest !== undefined && isCutOff(error)) throw transactionTooSlow(longest);
      throw error;
    } finally {
      limit.end();
      if (!isReleased) release();
    }
  };
}

const noClock = (): void => undefined;
