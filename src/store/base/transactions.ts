import type { Transaction } from '../../core/store/contract.ts';
import { handleOf } from './handle.ts';
import type { HandledLine } from './handle.ts';
import { tooManyWriters, transactionTooSlow } from './options.ts';
import { SILENCE_MS, startClock, startTimeLimit } from './time-limit.ts';

/** Runs work in one transaction, once; `longest` in milliseconds. */
export type RunOnce<Client> = <Result>(
  work: (handle: Transaction, client: Client) => Promise<Result>,
  longest?: number,
) => Promise<Result>;

/** A connection that was taken out of a pool for one transaction. */
export interface Lent<Client> {
  readonly client: Client;
  /** The transaction on it, which has begun, or begins with its first statement. */
  readonly line: HandledLine & { commit(): Promise<void>; rollBack(): Promise<unknown> };
  /** Ends it at once: whatever waits for it fails. */
  breakOff(): void;
  /** Gives it back; one that has broken is thrown away. */
  giveBack(broken: Error | undefined): void;
}

interface TransactionsOptions<Client> {
  lend(): Promise<Lent<Client>>;
  /** Whether all connections are in use; and how many wait for one. */
  isFull(): boolean;
  waiting(): number;
  readonly mostWaiting: number;
  /** Whether the connection was lost; whether the server ended a statement that took too long. */
  isLost(error: unknown): boolean;
  isCutOff(error: unknown): boolean;
}

/** Transactions over connections to a server, each on one of its own. */
export function transactionsWith<Client>(options: TransactionsOptions<Client>): RunOnce<Client> {
  const { lend, isFull, waiting, mostWaiting, isLost, isCutOff } = options;
  return async (work, longest) => {
    if (isFull() && waiting() > mostWaiting) throw tooManyWriters(mostWaiting);
    const { client, line, breakOff, giveBack } = await lend().catch((error: unknown) => {
      throw isFull() ? tooManyWriters(waiting()) : error;
    });
    const limit = startTimeLimit(longest);
    const answered = longest === undefined ? noClock : startClock(longest + SILENCE_MS, breakOff);
    const transaction = handleOf(line, limit);
    let broken: Error | undefined;
    let isReleased = false;
    const release = (): void => {
      answered();
      giveBack(broken);
    };
    try {
      const result = await limit.race(work(transaction.handle, client));
      transaction.end();
      await line.commit();
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
