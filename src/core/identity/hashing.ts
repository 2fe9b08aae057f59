import { HttpProblem, LATER } from '../api/problems.ts';
import type { Requester } from '../store/contract.ts';
import { makeTurns } from '../store/turns.ts';
import { hashSecret, isSecret, SALT_LENGTH } from './secret.ts';

/** Slow hashes for requests: only some at once, shared fairly among callers. */
export interface Hashing {
  hash(secret: string, requester: Requester | undefined): Promise<string>;
  isSecret(secret: string, hashed: string, requester: Requester | undefined): Promise<boolean>;
}

/** The most hashes that one requester may have waiting. */
const MOST_WAITING = 32;
/** The most secrets in one request: each takes longer to hash than the rest of the request. */
export const MOST_SECRETS = 10;

export function makeHashing(atOnce: number, random: (bytes: number) => Uint8Array, cost?: number): Hashing {
  const crowded = (): HttpProblem => new HttpProblem('too-busy', undefined, { headers: LATER });
  const turns = makeTurns({ places: atOnce, share: atOnce, mostWaiting: MOST_WAITING, crowded });
  const inTurn = async <Result>(requester: Requester | undefined, work: () => Promise<Result>): Promise<Result> => {
    const giveBack = await turns.take(requester);
    try {
      return await work();
    } finally {
      giveBack();
    }
  };
  return {
    hash: (secret, requester) => inTurn(requester, () => hashSecret(secret, random(SALT_LENGTH), cost)),
    isSecret: (secret, hashed, requester) => inTurn(requester, () => isSecret(secret, hashed)),
  };
}
