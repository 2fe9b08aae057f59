import { LRUCache } from 'lru-cache';
import type { Principal } from '../access/principal.ts';
import type { Field } from '../model/field.ts';
import type { Callers, Known } from './callers.ts';
import type { Sessions } from './sessions.ts';
import { seconds } from './tokens.ts';

/** Headers that named a good token: whoever sends one again is known at once. */
export interface GoodHeaders {
  /** Whom a header names, as long as nothing has to be read for it. */
  again(header: string): Principal | undefined;
  /** `expires` is in seconds since 1970, UTC. */
  keep(header: string, one: GoodHeader): void;
}

interface GoodHeader {
  readonly principal: Principal;
  /** It is good as long as this is what is known of its caller. */
  readonly known: Known;
  readonly expires: number;
}

const MOST_KEPT = 10_000;
/** Characters of a header that is kept. A token of this service has some 300. */
const LONGEST_KEPT = 1_000;

export function makeGoodHeaders(key: Field, callers: Callers, sessions: Sessions, now: () => Date): GoodHeaders {
  const kept = new LRUCache<string, GoodHeader>({ max: MOST_KEPT });
  return {
    again(header) {
      const one = kept.get(header);
      if (one === undefined) return undefined;
      const { principal, known, expires } = one;
      const isGood =
        expires > seconds(now()) &&
        callers.recent(key, known.caller.key) === known &&
        (principal.session === undefined || sessions.isKnown(principal.session));
      return isGood ? principal : undefined;
    },
    keep(header, one) {
      if (header.length <= LONGEST_KEPT) kept.set(header, one);
    },
  };
}
