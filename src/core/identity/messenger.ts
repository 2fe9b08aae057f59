import { HttpProblem, LATER } from '../api/problems.ts';
import type { CodeKind } from '../model/identity.ts';

/** A message with a code, as whoever sends it has it. */
export interface Message {
  readonly code: string;
  /** The page that it leads to; undefined where none is declared. */
  readonly link: string | undefined;
  /** Until when the code is good. */
  readonly expires: Date;
}

/** Sends a message to an address. */
export type Send = (kind: CodeKind, to: string, message: Message) => unknown;

/** Work that no client waits for: an answer tells nothing by its time. What fails is in the log. */
export interface Messenger {
  /** Looks for what to send, one request after the other, and sends it. Throws where too much is waiting. */
  later(find: () => Promise<Sending | undefined>): void;
  /** Resolves when all is sent. */
  settled(): Promise<void>;
}

/** Sends what was found. */
type Sending = () => unknown;

const MOST_WAITING = 1_000;

export function makeMessenger(report: (error: unknown) => void): Messenger {
  const waiting = new Set<Promise<void>>();
  let last: Promise<unknown> = Promise.resolve();
  return {
    later(find) {
      if (waiting.size >= MOST_WAITING) throw new HttpProblem('too-busy', undefined, { headers: LATER });
      // Looked for in turn, so that few connections are taken; a message that is slow to send holds no other up.
      const found = last.then(find);
      last = found.catch(() => undefined);
      const done = found
        .then(async (send) => void (await send?.()))
        .catch(report)
        .finally(() => waiting.delete(done));
      waiting.add(done);
    },
    async settled() {
      while (waiting.size > 0) await Promise.all(waiting);
    },
  };
}
