import pg from 'pg';
import { isFull } from './patient-pool.ts';
import type { StoreValue } from '../../core/sql/statement.ts';

type Result = pg.QueryArrayResult<StoreValue[]>;

/** Whatever answers statements with rows as arrays: a connection, a pool of them, or pipes. */
export interface Queryable {
  query(query: pg.QueryArrayConfig): Promise<Result>;
}

/** Connections on which statements are sent one behind the other, without waiting for the answers in between. */
export interface Pipes extends Queryable {
  close(): Promise<void>;
}

/** A statement whose answer is awaited. */
interface Sent {
  readonly at: number;
  readonly query: pg.QueryArrayConfig;
  resolve(result: Result): void;
  isAskedElsewhere: boolean;
}

interface Pipe {
  /** Undefined until it is connected, and again once it has broken. */
  client: pg.Client | undefined;
  connecting: Promise<pg.Client> | undefined;
  /** In the order in which they are answered. */
  readonly sent: Set<Sent>;
}

interface PipesOptions {
  readonly count: number;
  /** Milliseconds after which a server that has not answered is taken to be gone. */
  readonly longest: number;
  /** Asked in the place of a pipe that is stuck. */
  readonly others: Queryable;
}

/** A pipe that has given no answer for so long is stuck, behind a lock for example: others do not wait behind it. */
const STUCK_MS = 100;

/**
 * Quick reads share few connections. To take one out of a pool for each, and to wait for its answer before the next one
 * is sent, costs a server more than the statement itself. Where a pipe is stuck, `others` are asked.
 */
export function makePipes(settings: pg.ClientConfig, { count, longest, others }: PipesOptions): Pipes {
  const pipes = Array.from({ length: count }, (): Pipe => ({
    client: undefined,
    connecting: undefined,
    sent: new Set(),
  }));
  let clock: NodeJS.Timeout | undefined;

  const connectPipe = (pipe: Pipe): Promise<pg.Client> => connect(pipe, settings);

  function tick(): void {
    const now = performance.now();
    for (const pipe of pipes) passBy(pipe, now, longest, others);
    if (pipes.some(({ sent }) => sent.size > 0)) return;
    clearInterval(clock);
    clock = undefined;
  }

  function send(pipe: Pipe, client: pg.Client, query: pg.QueryArrayConfig): Promise<Result> {
    clock ??= setInterval(tick, STUCK_MS / 2).unref();
    return new Promise((resolve, reject) => {
      const sent: Sent = { at: performance.now(), query, resolve, isAskedElsewhere: false };
      pipe.sent.add(sent);
      client.query(query).then(
        (result) => {
          pipe.sent.delete(sent);
          resolve(result);
        },
        (error: Error) => {
          pipe.sent.delete(sent);
          reject(error);
        },
      );
    });
  }

  return {
    async query(query) {
      const pipe = pipes.reduce((one, other) => (other.sent.size < one.sent.size ? other : one));
      if (isStuck(pipe, performance.now())) return others.query(query);
      if (pipe.client !== undefined) return send(pipe, pipe.client, query);
      pipe.connecting ??= connectPipe(pipe).finally(() => (pipe.connecting = undefined));
      const client = await pipe.connecting.catch((error: unknown) => {
        if (isFull(error)) return undefined;
        throw error;
      });
      return client === undefined ? others.query(query) : send(pipe, client, query);
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

function connect(pipe: Pipe, settings: pg.ClientConfig): Promise<pg.Client> {
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

const oldestOf = ({ sent }: Pipe): Sent | undefined => sent.values().next().value;
const isStuck = (pipe: Pipe, now: number): boolean => now - (oldestOf(pipe)?.at ?? now) > STUCK_MS;

/** Asks others what waits behind the statement at which a pipe is stuck; breaks a pipe that is silent for too long. */
function passBy(pipe: Pipe, now: number, longest: number, others: Queryable): void {
  if (!isStuck(pipe, now)) return;
  const oldest = oldestOf(pipe)!;
  if (now - oldest.at > longest) {
    // It will not answer any more: all that waits for it fails, and the next statement makes another.
    const connection = pipe.client as unknown as { connection: { stream: { destroy(): void } } } | undefined;
    connection?.connection.stream.destroy();
    return;
  }
  for (const one of pipe.sent) {
    if (one === oldest || one.isAskedElsewhere) continue;
    if (now - one.at <= STUCK_MS) break;
    one.isAskedElsewhere = true;
    // Where that fails, too, the pipe has the last word.
    others.query(one.query).then(one.resolve, () => undefined);
  }
}
