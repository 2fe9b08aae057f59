/** How far a primary had come, and when: what tells how old a replica's state is, by no other clock than one's own. */
export interface Progress {
  note(at: number, position: bigint): void;
  /** Milliseconds since the primary was where a replica is now; 0 where it has not gone on since. */
  behind(position: bigint, now: number): number;
}

/** The oldest are forgotten: whoever is further behind is behind by all that is known. */
const MOST_KEPT = 2_000;

export function makeProgress(): Progress {
  let steps: { readonly at: number; readonly position: bigint }[] = [];
  return {
    note(at, position) {
      // After a fail-over, a database may begin before where another one was.
      const last = steps.at(-1)?.position ?? -1n;
      if (last > position) steps = [];
      if (last !== position) steps.push({ at, position });
      if (steps.length > MOST_KEPT) steps.splice(0, MOST_KEPT / 2);
    },
    behind(position, now) {
      const missed = steps.find((step) => step.position > position);
      return missed === undefined ? 0 : now - missed.at;
    },
  };
}
