import type { Store } from '../../../core/store/contract.ts';
import { withoutPassword } from '../../../core/text/without-password.ts';

/** After how many milliseconds one that can't be reached is tried again. */
const AGAIN_MS = 2_000;

const REPLAYED = {
  sql:
    'SELECT (CASE WHEN pg_is_in_recovery() THEN pg_last_wal_replay_lsn() ELSE pg_current_wal_lsn() END ' +
    "- '0/0'::pg_lsn)::text",
};

/** A database that follows another one, and how far it has come. */
export interface Replica {
  /** Undefined while it doesn't answer. */
  readonly now: { readonly store: Store; readonly position: bigint } | undefined;
  /** Asks how far it has come. */
  ask(): Promise<void>;
  /** It has not answered. */
  away(why: unknown): void;
  close(): Promise<void>;
}

export function makeReplica(
  address: string,
  open: (address: string) => Promise<Store>,
  onNews: ((text: string) => void) | undefined,
): Replica {
  let store: Store | undefined;
  let position: bigint | undefined;
  let isAsked = false;
  let isClosed = false;
  let triedAt = -AGAIN_MS;
  let isKnownAway = false;

  async function opened(): Promise<Store | undefined> {
    if (store !== undefined || performance.now() - triedAt < AGAIN_MS) return store;
    triedAt = performance.now();
    const found = await open(address);
    if (isClosed) await found.close();
    else store = found;
    return store;
  }

  function away(why: unknown): void {
    position = undefined;
    if (isKnownAway || isClosed) return;
    isKnownAway = true;
    onNews?.(`the replica ${withoutPassword(address)} does not answer: ${why instanceof Error ? why.message : ''}`);
  }

  return {
    get now() {
      return store === undefined || position === undefined ? undefined : { store, position };
    },
    away,
    async ask() {
      // One that hangs is not asked again and again.
      if (isAsked || isClosed) return;
      isAsked = true;
      try {
        const row = await (await opened())?.first(REPLAYED, []);
        if (row === undefined) return;
        position = BigInt(String(row[0]));
        if (isKnownAway) onNews?.(`the replica ${withoutPassword(address)} answers again`);
        isKnownAway = false;
      } catch (error) {
        away(error);
      } finally {
        isAsked = false;
      }
    },
    async close() {
      isClosed = true;
      await store?.close();
    },
  };
}
