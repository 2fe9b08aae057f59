import pg from 'pg';

/** After so long the server may have more connections again. */
const LATER_MS = 5_000;
/** What a server says that has as many connections as it takes. */
const TOO_MANY = '53300';

/** Whether a server gives no more connections. */
export const isFull = (error: unknown): boolean => (error as { code?: unknown } | undefined)?.code === TOO_MANY;

type Connected = (error: Error | undefined, client: pg.PoolClient | undefined, done: () => void) => void;

/**
 * A pool that gets by with the connections that it has where the server gives no more: several processes of a service,
 * or other programs, may have the rest.
 */
export class PatientPool extends pg.Pool {
  private readonly most: number;

  constructor(settings: pg.PoolConfig & { readonly max: number }) {
    super(settings);
    this.most = settings.max;
  }

  override connect(): Promise<pg.PoolClient>;
  override connect(connected: Connected): void;
  override connect(connected?: Connected): Promise<pg.PoolClient> | void {
    if (connected === undefined) {
      return new Promise((resolve, reject) => {
        this.connect((error, client) => (error === undefined || error === null ? resolve(client!) : reject(error)));
      });
    }
    super.connect((error, client, done) => {
      if (!isFull(error) || this.totalCount === 0) return connected(error, client, done);
      this.growLater();
      this.connect(connected);
    });
  }

  /** Until then, whoever wants a connection waits for one that is there. */
  private growLater(): void {
    const isWaiting = this.options.max < this.most;
    this.options.max = this.totalCount;
    if (isWaiting) return;
    setTimeout(() => (this.options.max = this.most), LATER_MS).unref();
  }
}
