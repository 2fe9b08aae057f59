import { LRUCache } from 'lru-cache';
import type { Row } from '../../sql/statement.ts';
import { lengthOf } from './tagged.ts';
import type { Tagged } from './tagged.ts';

/** The last page of each list. */
export interface LastPages {
  /** The page that was made of the same row before, or what `make` makes of it. `list` stands for all else. */
  of(list: object, row: Row, make: () => Promise<Tagged>): Promise<Tagged>;
}

interface Last {
  readonly row: Row;
  readonly page: Tagged;
}

/** A list holds more than its page: its parsed query, and its statement. */
const MOST_LISTS = 500;

/**
 * The first pages of lists are asked for all day, and mostly are what they were. To see that a row is the same takes a
 * tenth of the time of cutting, joining and hashing it again. So many characters of them are kept.
 */
export function makeLastPages(most: number): LastPages {
  const kept =
    most === 0
      ? undefined
      : new LRUCache<object, Last>({
          max: MOST_LISTS,
          maxSize: most,
          maxEntrySize: Math.ceil(most / 4),
          // Its row, and its page.
          sizeCalculation: ({ page }) => 2 * lengthOf(page),
        });
  return {
    async of(list, row, make) {
      const last = kept?.get(list);
      if (last !== undefined && isSameRow(last.row, row)) return last.page;
      const page = await make();
      kept?.set(list, { row, page });
      return page;
    },
  };
}

const isSameRow = (one: Row, other: Row): boolean =>
  one.length === other.length && one.every((value, at) => value === other[at]);
