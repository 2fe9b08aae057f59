import type { Row, Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Transaction } from '../../core/store/contract.ts';
import { transactionOver } from './time-limit.ts';
import type { TimeLimit } from './time-limit.ts';

/** What came of a statement on a server. */
interface Answer {
  readonly rows: readonly Row[];
  readonly rowCount: number | null;
}

/** The statements of one transaction on a server. */
export interface HandledLine {
  ask(statement: Statement, values: readonly StoreValue[]): Promise<Answer>;
  /** Where it fails, so does what comes after it, and at last the commit. */
  send(statement: Statement, values: readonly StoreValue[]): Promise<number | undefined>;
  /** Begins and keeps a part that can be taken back. */
  mark(point: string): Promise<unknown>;
  keep(point: string): Promise<unknown>;
  /** Takes back what came after a point, and with it what failed there. */
  backTo(point: string): Promise<void>;
}

/** A transaction's own handle: after the end it refuses, instead of writing outside. */
export function handleOf(line: HandledLine, limit: Pick<TimeLimit, 'signal'>): { handle: Transaction; end(): void } {
  let over = false;
  let points = 0;
  const query = (statement: Statement, values: readonly StoreValue[]): Promise<Answer> =>
    over ? Promise.reject(transactionOver()) : line.ask(statement, values);
  const handle: Transaction = {
    get signal() {
      return limit.signal;
    },
    first: async (statement, values) => (await query(statement, values)).rows[0],
    all: async (statement, values) => (await query(statement, values)).rows,
    run: async (statement, values) => (await query(statement, values)).rowCount ?? 0,
    send(statement, values) {
      if (over) throw transactionOver();
      return line.send(statement, values);
    },
    async nested(work) {
      if (over) throw transactionOver();
      const point = `n${(points += 1)}`;
      await line.mark(point);
      try {
        const result = await work();
        if (over) throw transactionOver();
        await line.keep(point);
        return result;
      } catch (error) {
        // Where all of it is over, its part went with it.
        if (!over) await line.backTo(point);
        throw error;
      }
    },
  };
  return { handle, end: () => void (over = true) };
}
