import type { Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Query } from './ask.ts';
import { placed } from './placeholders.ts';
import type { Placed } from './placeholders.ts';
import { TOO_LONG_SQL } from './written-json.ts';

/** The statements of a store as the server gets them. */
export interface PreparedStatements {
  queryOf(statement: Statement, values: readonly StoreValue[]): Query;
  /** The same without what is asked behind it, where nobody waits for rows. */
  sentOf(statement: Statement, values: readonly StoreValue[]): Query;
}

interface Known extends Placed {
  readonly hasJson: boolean;
  readonly back: Known | undefined;
}

/** `mostBytes` is how much the server gives in one text. */
export function preparedStatements(mostBytes: number): PreparedStatements {
  const known = new WeakMap<Statement, Known>();
  const knownFor = (statement: Statement): Known => {
    let one = known.get(statement);
    if (one === undefined) known.set(statement, (one = knownOf(statement.sql, statement.back)));
    return one;
  };
  return {
    queryOf: (statement, values) => queryOf(knownFor(statement), values, mostBytes),
    sentOf: (statement, values) => ({ ...queryOf(knownFor(statement), values, mostBytes), back: undefined }),
  };
}

const knownOf = (sql: string, back: string | undefined): Known => ({
  ...placed(sql),
  hasJson: OF_JSON.some((part) => sql.includes(part)),
  back: back === undefined ? undefined : knownOf(back, undefined),
});

/** What stands in statements that make JSON, and in no others. */
const OF_JSON = ['JSON_QUOTE(', '"\\u0000', TOO_LONG_SQL];

const queryOf = ({ text, order, hasJson, back }: Known, values: readonly StoreValue[], most: number): Query => ({
  text,
  values: order.map((at) => values[at]!),
  mostJson: hasJson ? most : undefined,
  back: back && queryOf(back, values, most),
});
