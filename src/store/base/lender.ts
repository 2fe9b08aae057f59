import { tooManyWriters } from './options.ts';
import { startClock } from './time-limit.ts';

/** The connections of a pool for one purpose. */
interface Lending<Client> {
  /** How many may be lent at once. */
  readonly most: number;
  /** Milliseconds that somebody waits for one. */
  readonly longest: number;
  connect(): Promise<Client>;
  /** Gives one back to the pool; one that has broken is thrown away. */
  release(client: Client, broken: Error | undefined): void;
  /** How many wait in the pool, which may have fewer connections than it would like. */
  waiting(): number;
}

/** Lends connections: whoever waits for one gets it from whoever had it, and the pool is troubled by neither. */
export interface Lender<Client> {
  lend(): Promise<Client>;
  /** `isSound`: all that was put to it has been answered. Others the pool looks at first. */
  giveBack(client: Client, isSound: boolean, broken?: Error): void;
  /** Whether all are lent; and how many wait for one. */
  isFull(): boolean;
  waiting(): number;
}

interface Waiter<Client> {
  got(client: Promise<Client> | Client): void;
}

export function makeLender<Client>({ most, longest, connect, release, waiting }: Lending<Client>): Lender<Client> {
  let lent = 0;
  const line = new Set<Waiter<Client>>();

  function next(): Waiter<Client> | undefined {
    const waiter = line.values().next().value;
    if (waiter !== undefined) line.delete(waiter);
    return waiter;
  }

  function fromPool(): Promise<Client> {
    lent += 1;
    return connect().catch((error: unknown) => {
      lent -= 1;
      next()?.got(fromPool());
      throw error;
    });
  }

  return {
    lend() {
      if (lent < most) return fromPool();
      return new Promise((resolve, reject) => {
        const answered = startClock(longest, () => {
          line.delete(waiter);
          reject(tooManyWriters(line.size));
        });
        const waiter: Waiter<Client> = {
          got(client) {
            answered();
            resolve(client);
          },
        };
        line.add(waiter);
      });
    },
    giveBack(client, isSound, broken) {
      // Those who wait in the pool came before.
      const isForNext = isSound && waiting() === 0;
      const waiter = next();
      if (isForNext && waiter !== undefined) return waiter.got(client);
      release(client, broken);
      lent -= 1;
      waiter?.got(fromPool());
    },
    isFull: () => lent >= most,
    waiting: () => line.size + waiting(),
  };
}
