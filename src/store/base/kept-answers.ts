import { LRUCache } from 'lru-cache';
import type { StoreValue } from '../../core/sql/statement.ts';
import type { Answers } from '../../core/store/contract.ts';

interface Kept {
  readonly answer: object;
  readonly mark: number;
  readonly bytes: number;
}

/** One kind of question: how often it was looked for, and was there. */
interface Kind {
  readonly id: number;
  looked: number;
  hits: number;
  passed: number;
}

/** What is hardly ever there is mostly not looked for: it may depend on the time, or be asked for once only. */
const ENOUGH = 256;
const LOOKED_A_HIT = 16;
const LOOKED_FOR_EVERY = 32;
const FORGOTTEN_AFTER = 4_096;

/** Bytes of an entry beside its text, and of each character. */
const BESIDE = 600;
const A_CHARACTER = 2;

/**
 * Answers that are good as long as nothing has changed: `mark` is another number then, and undefined where that can't
 * be told now. So many bytes of them are kept, those that were asked for last.
 */
export function keepAnswers(most: number, mark: () => number | undefined): Answers {
  const kept = new LRUCache<string, Kept>({
    maxSize: most,
    maxEntrySize: Math.ceil(most / 4),
    sizeCalculation: ({ bytes }) => bytes,
  });
  const kinds = new WeakMap<object, Kind>();
  let lastId = 0;

  function kindOf(by: object): Kind {
    let kind = kinds.get(by);
    if (kind === undefined) kinds.set(by, (kind = { id: (lastId += 1), looked: 0, hits: 0, passed: 0 }));
    return kind;
  }

  async function missed<Answer extends object>(
    key: string,
    before: number,
    make: () => Promise<Answer>,
    lengthOf: (answer: Answer) => number,
  ): Promise<Answer> {
    const answer = await make();
    // What was written while it was made may be in it or not.
    if (mark() === before) kept.set(key, { answer, mark: before, bytes: lengthOf(answer) * A_CHARACTER + BESIDE });
    return answer;
  }

  return {
    of<Answer extends object>(
      by: object,
      values: readonly StoreValue[],
      make: () => Promise<Answer>,
      lengthOf: (answer: Answer) => number,
    ): Promise<Answer> {
      const kind = kindOf(by);
      if (!isWorthIt(kind)) return make();
      const now = mark();
      if (now === undefined) return make();
      const key = `${kind.id} ${keyOf(values)}`;
      const found = kept.get(key);
      if (found?.mark === now) {
        kind.hits += 1;
        return Promise.resolve(found.answer as Answer);
      }
      return missed(key, now, make, lengthOf);
    },
  };
}

function isWorthIt(kind: Kind): boolean {
  if (kind.looked >= ENOUGH && kind.hits * LOOKED_A_HIT < kind.looked) {
    kind.passed = (kind.passed + 1) % LOOKED_FOR_EVERY;
    if (kind.passed !== 0) return false;
  }
  if (kind.looked >= FORGOTTEN_AFTER) {
    kind.looked /= 2;
    kind.hits /= 2;
  }
  kind.looked += 1;
  return true;
}

const keyOf = (values: readonly StoreValue[]): string =>
  values.length === 1 && typeof values[0] === 'string' ? `"${values[0]}` : values.map(textOf).join();

const textOf = (value: StoreValue): string =>
  typeof value === 'string' ? JSON.stringify(value) : `${typeof value} ${String(value)}`;
