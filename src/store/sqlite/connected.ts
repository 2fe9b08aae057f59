import type { Row, Statement, StoreValue } from '../../core/sql/statement.ts';
import { allRows, firstRow, prepare } from './connect.ts';
import type { Connection, Prepared } from './connect.ts';

export type Ask<Result> = (statement: Statement, values: readonly StoreValue[]) => Result;

/** What a connection answers, at once; it throws the driver's own errors. */
export interface Connected {
  first(statement: Statement, values: readonly StoreValue[]): Row | undefined;
  all(statement: Statement, values: readonly StoreValue[]): readonly Row[];
  run(statement: Statement, values: readonly StoreValue[]): number;
}

export function readerOf(connection: Connection): Connected {
  const prepared = new WeakMap<Statement, Prepared>();

  const preparedOf = (statement: Statement): Prepared => {
    let found = prepared.get(statement);
    if (found === undefined) prepared.set(statement, (found = prepare(connection, statement.sql)));
    return found;
  };
  const answer = <Result>(statement: Statement, ask: (prepared: Prepared) => Result): Result => {
    try {
      return ask(preparedOf(statement));
    } catch (error) {
      // The driver doesn't reset a statement that failed: used again, it would fail again, whatever it is given.
      prepared.delete(statement);
      throw error;
    }
  };

  return {
    first: (statement, values) => answer(statement, (found) => firstRow(found, values)),
    all: (statement, values) => answer(statement, (found) => allRows(found, values)),
    run: (statement, values) => answer(statement, ({ statement: found }) => found.run(values).changes),
  };
}
