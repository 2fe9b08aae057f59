import pg from 'pg';
import type { StoreValue } from '../../core/store/contract.ts';

type Result = pg.QueryArrayResult<StoreValue[]>;

/** Whatever answers statements with rows as arrays: a connection, a pool of them, or pipes. */
export interface Queryable {
  query(query: pg.QueryArrayConfig): Promise<Result>;
}

/** Connections on which statements are sent one behind the other, without waiting for the answers in between. */
export interface Pipes extends Queryable {
  close(): Promise<void>;
}

interface Pipe {
  /** Undefined until it is connected, and again once it has broken. */
  client: pg.Client | undefined;
  connecting: Promise<pg.Client> | undefined;
  /** Statements whose answers are awaited. */
  awaited: number;
}

/**
 * Quick reads share few connections. To take one out of a pool for each, and to wait for its answer before the next one
 * is sent, costs a server more than the statement itself.
 */
export function makePipes(settings: pg.ClientConfig, count: number): Pipes {
  const pipes = Array.from({ length: count }, (): Pipe => ({ client: undefined, connecting: undefined, awaited: 0 }));

  function connect(pipe: Pipe): Promise<pg.Client> {
    const client = new pg.Client({ ...settings, pipeline: true });
    // What was on its way fails by itself; the next statement makes a new connection.
    const broken = (): void => {
      if (pipe.client === client) pipe.client = undefined;
    };
    client.on('error', broken).on('end', broken);
    return client.connect().then(() => {
      pipe.client = client;
      return client;
    });
  }

  const least = (): Pipe => pipes.reduce((one, other) => (other.awaited < one.awaited ? other : one));

  return {
    async query(query) {
      const pipe = least();
      pipe.awaited += 1;
      try {
        let { client } = pipe;
        if (client === undefined) {
          pipe.connecting ??= connect(pipe).finally(() => (pipe.connecting = undefined));
          client = await pipe.connecting;
        }
        return await client.query(query);
      } finally {
        pipe.awaited -= 1;
      }
    },

    async close() {
      const end = async ({ client, connecting }: Pipe): Promise<void> => {
        const open = client ?? (await connecting?.catch(() => undefined));
        await open?.end();
      };
      await Promise.all(pipes.map(end));
    },
  };
}
