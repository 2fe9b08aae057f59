import type { Row, Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Reader, Requester, StoreError } from '../../core/store/contract.ts';
import { askAlikeOnce } from './alike.ts';
import { tooSlow } from './options.ts';
import { startClock } from './time-limit.ts';

interface Answer {
  readonly rows: readonly Row[];
}

/** How reads outside of transactions are put to a server. */
interface ReadsOptions {
  /** Milliseconds that a read may take. */
  readonly longestRead: number;
  ask(statement: Statement, values: readonly StoreValue[]): Promise<Answer>;
  /** The same of one that may take long; undefined where those run like any other. It has a clock of its own. */
  readonly askSlowly:
    | ((statement: Statement, values: readonly StoreValue[], requester: Requester | undefined) => Promise<Answer>)
    | undefined;
  refusalOf(error: unknown, statement: Statement): Promise<StoreError>;
}

/** Reads outside of transactions, each in the time that it may take. */
export function readsWith({ longestRead, ask, askSlowly, refusalOf }: ReadsOptions): Reader {
  const askQuickly = askAlikeOnce<Answer>((statement, values, waiting) => {
    const failed = (error: unknown): void => {
      for (const one of waiting) one.failed(error);
    };
    const end = startClock(longestRead, () => failed(tooSlow(longestRead)));
    const answered = (result: Answer): void => {
      end();
      for (const one of waiting) one.answered(result);
    };
    ask(statement, values).then(answered, (error: unknown) => {
      end();
      void refusalOf(error, statement).then(failed);
    });
  });
  // Written out, because each promise between the driver and the service costs every read.
  const read = <Taken>(
    statement: Statement,
    values: readonly StoreValue[],
    requester: Requester | undefined,
    take: (result: Answer) => Taken,
  ): Promise<Taken> =>
    new Promise((resolve, reject) => {
      const answered = (result: Answer): void => resolve(take(result));
      if (statement.slow === true && askSlowly !== undefined) {
        const slow = askSlowly(statement, values, requester);
        return void slow.then(answered, (error: unknown) => void refusalOf(error, statement).then(reject));
      }
      askQuickly(statement, values, { answered, failed: reject });
    });
  return {
    first: (statement, values, requester) => read(statement, values, requester, rowOf),
    all: (statement, values, requester) => read(statement, values, requester, rowsOf),
  };
}

const rowsOf = ({ rows }: Answer): readonly Row[] => rows;
const rowOf = ({ rows }: Answer): Row | undefined => rows[0];
