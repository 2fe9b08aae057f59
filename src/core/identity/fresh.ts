import { LRUCache } from 'lru-cache';

/** What was read a moment ago: other processes may change it, so it is read again after a few seconds. */
export interface Fresh<Value> {
  /** What is known of a name; undefined where it was not read, or too long ago. */
  recent(name: string): Value | undefined;
  /** Reads it, and keeps what is there. */
  readAnew(name: string, read: () => Promise<Value | undefined>): Promise<Value | undefined>;
  /** This process has changed something: all is read again. */
  forget(): void;
}

const FRESH_MS = 5_000;
const MOST_KEPT = 10_000;

export function makeFresh<Value>(now: () => Date): Fresh<Value> {
  const kept = new LRUCache<string, { readonly value: Value; readonly readAt: number }>({ max: MOST_KEPT });
  let changes = 0;
  return {
    recent(name) {
      const before = kept.get(name);
      const time = now().getTime();
      return before === undefined || time - before.readAt >= FRESH_MS || time < before.readAt
        ? undefined
        : before.value;
    },

    async readAnew(name, read) {
      const [time, seen] = [now().getTime(), changes];
      const value = await read();
      if (value === undefined) kept.delete(name);
      // Reads that began before a change are not kept.
      else if (seen === changes) kept.set(name, { value, readAt: time });
      return value;
    },

    forget() {
      changes += 1;
      kept.clear();
    },
  };
}
