import type { Store } from '../core/store/contract.ts';

/** Ends a transaction that has done what was wanted of it. */
class TakenBack<Result> extends Error {
  readonly result: Result;

  constructor(result: Result) {
    super('taken back');
    this.result = result;
  }
}

/** The same store, in which nothing lasts: every transaction is done to its end, and taken back. */
export function takenBack(store: Store): Store {
  return {
    ...store,
    async transaction<Result>(...[work, options]: Parameters<typeof store.transaction<Result>>): Promise<Result> {
      try {
        return await store.transaction<Result>(async (transaction) => {
          throw new TakenBack(await work(transaction));
        }, options);
      } catch (error) {
        if (error instanceof TakenBack) return error.result as Result;
        throw error;
      }
    },
  };
}
