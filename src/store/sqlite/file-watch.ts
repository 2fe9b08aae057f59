import { statSync } from 'node:fs';
import { StoreError } from '../../core/store/contract.ts';

/** Notices that a database's file has gone, or that another one stands in its place. */
export interface FileWatch {
  /** Throws a `StoreError` where the open file is not the one that its name leads to. */
  check(): void;
  /**
   * The same, for those who ask all the time: it takes a look a few times a second. `now` is of `performance.now()`.
   */
  checkNowAndThen(now: number): void;
}

const NOW_AND_THEN_MS = 250;

/**
 * To be made when the file is open. SQLite goes on with a file that was deleted, and with one that was replaced: what
 * is written there is lost when the program ends.
 */
export function watchFile(file: string): FileWatch {
  const identity = (): string | undefined => {
    const found = statSync(file, { throwIfNoEntry: false });
    return found === undefined ? undefined : `${found.dev} ${found.ino}`;
  };
  const opened = identity();
  let looked = performance.now();

  function check(): void {
    looked = performance.now();
    const found = identity();
    if (found === opened) return;
    // It is looked at again with the next request, whenever that is.
    looked = -Infinity;
    const [what, remedy] =
      found === undefined
        ? ['has been moved or deleted', 'put it back where it was, or start the service anew']
        : ['has been replaced by another file', 'start the service anew, which opens the file that is there now'];
    throw new StoreError({ kind: 'unreachable' }, `the database ${file} ${what} while it was open`, remedy);
  }

  return {
    check,
    checkNowAndThen(now) {
      if (now - looked >= NOW_AND_THEN_MS) check();
    },
  };
}
