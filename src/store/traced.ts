import type { Row, Statement, StoreValue } from '../core/sql/statement.ts';
import type { Reader, Requester, Store, Transaction } from '../core/store/contract.ts';

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

type Tell = (asked: TracedStatement) => void;

/** The same store, recording every statement. Work on tables is left out: no request does it. */
export function traced(store: Store, tell: Tell): Store {
  const border = (statement: Statement, begun: number): void =>
    tell({ statement, values: [], milliseconds: performance.now() - begun, rows: 0 });
  return {
    ...store,
    ...tracedReader(store, tell),
    reading: (work, requester) => store.reading((of, signal) => work(tracedReader(of, tell), signal), requester),
    async transaction(work, options) {
      // The beginning of a transaction takes as long as it waits for its turn.
      let ended = performance.now();
      try {
        const result = await store.transaction(async (of) => {
          border(BORDERS.begin, ended);
          try {
            return await work(new TracedTransaction(of, tell));
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

const tracedReader = (of: Reader, tell: Tell): Reader => ({
  first: (statement, values, requester) =>
    timed(tell, statement, values, performance.now(), of.first(statement, values, requester), countRow),
  all: (statement, values, requester) =>
    timed(tell, statement, values, performance.now(), of.all(statement, values, requester), countRows),
});

/** A class, because there is one for every write. */
class TracedTransaction implements Transaction {
  private readonly of: Transaction;
  private readonly tell: Tell;

  constructor(of: Transaction, tell: Tell) {
    this.of = of;
    this.tell = tell;
  }

  get signal(): AbortSignal {
    return this.of.signal;
  }

  first(statement: Statement, values: readonly StoreValue[], requester?: Requester): Promise<Row | undefined> {
    const begun = performance.now();
    return timed(this.tell, statement, values, begun, this.of.first(statement, values, requester), countRow);
  }

  all(statement: Statement, values: readonly StoreValue[], requester?: Requester): Promise<readonly Row[]> {
    const begun = performance.now();
    return timed(this.tell, statement, values, begun, this.of.all(statement, values, requester), countRows);
  }

  run(statement: Statement, values: readonly StoreValue[]): Promise<number> {
    return timed(this.tell, statement, values, performance.now(), this.of.run(statement, values), itself);
  }

  send(statement: Statement, values: readonly StoreValue[]): Promise<number | undefined> {
    return timed(this.tell, statement, values, performance.now(), this.of.send(statement, values), itself);
  }

  nested<Result>(work: () => Promise<Result>): Promise<Result> {
    return this.of.nested(work);
  }
}

/** Tells of a statement once its answer is there. */
function timed<Result>(
  tell: Tell,
  statement: Statement,
  values: readonly StoreValue[],
  begun: number,
  answer: Promise<Result>,
  count: (result: Result) => number | undefined,
): Promise<Result> {
  return answer.then(
    (result) => {
      tell({ statement, values, milliseconds: performance.now() - begun, rows: count(result) });
      return result;
    },
    (error: unknown) => {
      tell({ statement, values, milliseconds: performance.now() - begun, rows: undefined });
      throw error;
    },
  );
}

const countRow = (row: Row | undefined): number => (row === undefined ? 0 : 1);
const countRows = (rows: readonly Row[]): number => rows.length;
const itself = (count: number | undefined): number | undefined => count;
