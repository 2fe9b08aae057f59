/** A connection on which statements are sent one behind the other, without waiting for the answers in between. */
export interface Wire<Query, Result> {
  put(query: Query, told: (error: Error | undefined, result: Result | undefined) => void): void;
  /** What is put until `later` calls back leaves in one piece. */
  inOnePiece(later: (send: () => void) => unknown): void;
  /** Ends it at once: whatever waits for it fails. */
  breakOff(): void;
  end(): Promise<unknown>;
}

/** Whatever answers statements. */
export interface Asked<Query, Result> {
  query(query: Query): Promise<Result>;
}

export interface Pipes<Query, Result> extends Asked<Query, Result> {
  close(): Promise<void>;
}

/** A statement whose answer is awaited. */
interface Sent<Query, Result> {
  readonly at: number;
  readonly query: Query;
  resolve(result: Result): void;
  isAskedElsewhere: boolean;
}

interface Pipe<Query, Result> {
  /** Undefined until it is connected, and again once it has broken. */
  client: Wire<Query, Result> | undefined;
  connecting: Promise<Wire<Query, Result>> | undefined;
  /** In the order in which they are answered. */
  readonly sent: Set<Sent<Query, Result>>;
  /** Whether what is sent in this turn of the event loop has begun to gather. */
  isGathering: boolean;
}

interface PipesOptions<Query, Result> {
  /** Makes a connection; `broken` is to be called once it is none any more. */
  connect(broken: () => void): Promise<Wire<Query, Result>>;
  /** Whether an error says that the server gives no more connections. */
  isFull(error: unknown): boolean;
  readonly count: number;
  /** Milliseconds after which a server that has not answered is taken to be gone. */
  readonly longest: number;
  /** Asked in the place of a pipe that is stuck. */
  readonly others: Asked<Query, Result>;
}

/** A pipe that has given no answer for so long is stuck, behind a lock for example: others do not wait behind it. */
const STUCK_MS = 100;

/**
 * Quick reads share few connections. To take one out of a pool for each, and to wait for its answer before the next one
 * is sent, costs a server more than the statement itself. Where a pipe is stuck, `others` are asked.
 */
export function makePipes<Query, Result>(options: PipesOptions<Query, Result>): Pipes<Query, Result> {
  const { count, longest, others } = options;
  const pipes = Array.from({ length: count }, (): Pipe<Query, Result> => ({
    client: undefined,
    connecting: undefined,
    sent: new Set(),
    isGathering: false,
  }));
  let clock: NodeJS.Timeout | undefined;

  async function connectPipe(pipe: Pipe<Query, Result>): Promise<Wire<Query, Result>> {
    let isBroken = false;
    const wire = await options.connect(() => {
      // What was on its way fails by itself; the next statement makes a new connection.
      isBroken = true;
      pipe.client = undefined;
    });
    if (!isBroken) pipe.client = wire;
    return wire;
  }

  function tick(): void {
    const now = performance.now();
    for (const pipe of pipes) passBy(pipe, now, longest, others);
    if (pipes.some(({ sent }) => sent.size > 0)) return;
    clearInterval(clock);
    clock = undefined;
  }

  function send(pipe: Pipe<Query, Result>, client: Wire<Query, Result>, query: Query): Promise<Result> {
    clock ??= setInterval(tick, STUCK_MS / 2).unref();
    gather(pipe, client);
    return new Promise((resolve, reject) => {
      const sent: Sent<Query, Result> = { at: performance.now(), query, resolve, isAskedElsewhere: false };
      pipe.sent.add(sent);
      client.put(query, (error, result) => {
        pipe.sent.delete(sent);
        if (error === undefined) resolve(result!);
        else reject(error);
      });
    });
  }

  return {
    async query(query) {
      const pipe = pipes.reduce((one, other) => (other.sent.size < one.sent.size ? other : one));
      if (isStuck(pipe, performance.now())) return others.query(query);
      if (pipe.client !== undefined) return send(pipe, pipe.client, query);
      pipe.connecting ??= connectPipe(pipe).finally(() => (pipe.connecting = undefined));
      const client = await pipe.connecting.catch((error: unknown) => {
        if (options.isFull(error)) return undefined;
        throw error;
      });
      return client === undefined ? others.query(query) : send(pipe, client, query);
    },

    async close() {
      const end = async ({ client, connecting }: Pipe<Query, Result>): Promise<void> => {
        const open = client ?? (await connecting?.catch(() => undefined));
        await open?.end();
      };
      await Promise.all(pipes.map(end));
    },
  };
}

/** All requests that have come in by now are read before the event loop turns: what they ask leaves in one piece. */
function gather<Query, Result>(pipe: Pipe<Query, Result>, client: Wire<Query, Result>): void {
  if (pipe.isGathering) return;
  pipe.isGathering = true;
  client.inOnePiece((send) =>
    setImmediate(() => {
      pipe.isGathering = false;
      send();
    }),
  );
}

const oldestOf = <Query, Result>({ sent }: Pipe<Query, Result>): Sent<Query, Result> | undefined =>
  sent.values().next().value;
const isStuck = <Query, Result>(pipe: Pipe<Query, Result>, now: number): boolean =>
  now - (oldestOf(pipe)?.at ?? now) > STUCK_MS;

/** Asks others what waits behind the statement at which a pipe is stuck; breaks a pipe that is silent for too long. */
function passBy<Query, Result>(
  pipe: Pipe<Query, Result>,
  now: number,
  longest: number,
  others: Asked<Query, Result>,
): void {
  if (!isStuck(pipe, now)) return;
  const oldest = oldestOf(pipe)!;
  if (now - oldest.at > longest) {
    // It will not answer any more: all that waits for it fails, and the next statement makes another.
    pipe.client?.breakOff();
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
