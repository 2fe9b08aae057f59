import type { Statement, StoreValue } from '../core/sql/statement.ts';
import type { Reader, Store, Transaction } from '../core/store/contract.ts';

/** A statement that was put to a store, and what came of it. */
export interface TracedStatement {
  readonly statement: Statement;
  readonly values: readonly StoreValue[];
  readonly milliseconds: number;
  /** Rows that came back, or were changed; undefined where it failed. */
  readonly rows: number | undefined;
}

/** The borders of a transaction, as a trace shows them beside its statements. */
export const BORDERS = {
  begin: { sql: 'BEGIN' },
  commit: { sql: 'COMMIT' },
  rollback: { sql: 'ROLLBACK' },
} as const satisfies Record<string, Statement>;

const borders = new Set<Statement>(Object.values(BORDERS));

export const isBorder = ({ statement }: TracedStatement): boolean => borders.has(statement);

/** The same store, recording every statement. Work on tables is left out: no request does it. */
export function traced(store: Store, tell: (asked: TracedStatement) => void): Store {
  const timed = async <Result>(
    statement: Statement,
    values: readonly StoreValue[],
    ask: () => Promise<Result>,
    count: (result: Result) => number,
  ): Promise<Result> => {
    const begun = performance.now();
    let rows: number | undefined;
    try {
      const result = await ask();
      rows = count(result);
      return result;
    } finally {
      tell({ statement, values, milliseconds: performance.now() - begun, rows });
    }
  };
  const border = (statement: Statement, begun: number): void =>
    tell({ statement, values: [], milliseconds: performance.now() - begun, rows: 0 });

  const reader = (of: Reader): Reader => ({
    first: (statement, values, requester) =>
      timed(
        statement,
        values,
        () => of.first(statement, values, requester),
        (row) => (row === undefined ? 0 : 1),
      ),
    all: (statement, values, requester) =>
      timed(
        statement,
        values,
        () => of.all(statement, values, requester),
        (rows) => rows.length,
      ),
  });
  const within = (of: Transaction): Transaction => ({
    get signal() {
      return of.signal;
    },
    ...reader(of),
    run: (statement, values) =>
      timed(
        statement,
        values,
        () => of.run(statement, values),
        (count) => count,
      ),
    nested: (work) => of.nested(work),
  });

  return {
    ...store,
    ...reader(store),
    reading: (work, requester) => store.reading((of, signal) => work(reader(of), signal), requester),
    async transaction(work, options) {
      // The beginning of a transaction takes as long as it waits for its turn.
      let ended = performance.now();
      try {
        const result = await store.transaction(async (of) => {
          border(BORDERS.begin, ended);
          try {
            return await work(within(of));
          } finally {
            ended = performance.now();
          }
        }, options);
        border(BORDERS.commit, ended);
        return result;
      } catch (error) {
        border(BORDERS.rollback, ended);
        throw error;
      }
    },
  };
}
