import { StoreError } from '../../../core/store/contract.ts';
import type { Requester, Store } from '../../../core/store/contract.ts';
import { positionFrom, positionText } from './position.ts';
import { makeProgress } from './progress.ts';
import { makeReplica } from './replica.ts';
import type { Replica } from './replica.ts';

/** How often it is asked how far each host has come. */
const POLL_MS = 250;

const WRITTEN = { sql: "SELECT (pg_current_wal_lsn() - '0/0'::pg_lsn)::text" };

export interface ReplicaOptions {
  readonly addresses: readonly string[];
  /** Milliseconds that a replica may be behind. */
  readonly lag: number;
  open(address: string): Promise<Store>;
  onNews?: ((text: string) => void) | undefined;
}

/**
 * A store whose reads go to replicas in turn, where the requester allows it, as long as they answer and are not too far
 * behind; and to the primary otherwise. After a write, its requester is told how far the primary has come.
 */
export function withReplicas(primary: Store, { addresses, lag, open, onNews }: ReplicaOptions): Store {
  const replicas = addresses.map((address) => makeReplica(address, (one) => open(one), onNews));
  // Each time another one is asked first.
  const turns = replicas.map((_one, at) => [...replicas.slice(at), ...replicas.slice(0, at)]);
  const progress = makeProgress();
  let turn = 0;

  /** How far the primary has come; undefined where it doesn't say. */
  const written = (): Promise<bigint | undefined> =>
    primary.first(WRITTEN, []).then(
      (row) => BigInt(String(row![0])),
      () => undefined,
    );

  async function askAll(): Promise<void> {
    const begun = performance.now();
    const position = await written();
    if (position !== undefined) progress.note(begun, position);
    await Promise.all(replicas.map((replica) => replica.ask()));
  }
  let polling = askAll();
  const timer = setInterval(() => void (polling = askAll()), POLL_MS);
  timer.unref();

  /** A replica for a read; undefined where only the primary will do. */
  function pick(requester: Requester | undefined): Replica | undefined {
    const since = requester?.since;
    if (since === undefined) return undefined;
    // What is no position of ours is answered by what can't be behind it.
    const least = since === '' ? 0n : positionFrom(since);
    if (least === undefined) return undefined;
    turn = (turn + 1) % turns.length;
    const now = performance.now();
    return turns[turn]!.find(
      ({ now: at }) => at !== undefined && at.position >= least && progress.behind(at.position, now) <= lag,
    );
  }

  async function read<Result>(requester: Requester | undefined, work: (on: Store) => Promise<Result>): Promise<Result> {
    const replica = pick(requester);
    if (replica?.now === undefined) return work(primary);
    try {
      return await work(replica.now.store);
    } catch (error) {
      if (!mayBeOfReplica(error)) throw error;
      if (error.fault.kind === 'unreachable') replica.away(error);
      return work(primary);
    }
  }

  return {
    ...primary,
    hasCopies: true,
    first: (statement, values, requester) => read(requester, (on) => on.first(statement, values, requester)),
    all: (statement, values, requester) => read(requester, (on) => on.all(statement, values, requester)),
    reading: (work, requester) => read(requester, (on) => on.reading(work, requester)),
    async transaction(work, options) {
      const result = await primary.transaction(work, options);
      const requester = options?.requester;
      if (requester?.kept === undefined) return result;
      // The write is kept, whatever becomes of this.
      const position = await written();
      if (position !== undefined) requester.kept(positionText(position));
      return result;
    },
    async close() {
      clearInterval(timer);
      await polling;
      await Promise.all([primary.close(), ...replicas.map((replica) => replica.close())]);
    },
  };
}

const OF_REPLICA: ReadonlySet<string> = new Set(['unreachable', 'busy', 'moved', 'refused', 'defect']);

/** What a replica says and the primary may not: it is gone, a read was in the way of what it follows, or is behind. */
const mayBeOfReplica = (error: unknown): error is StoreError =>
  error instanceof StoreError && OF_REPLICA.has(error.fault.kind);
