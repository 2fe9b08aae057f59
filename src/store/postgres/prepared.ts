import type pg from 'pg';
import type { Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Queryable } from './pipes.ts';
import { heldRead } from './tables-mark.ts';

const USES_BEFORE_NAME = 3;
const MOST_NAMES = 1_000;
/**
 * A server that says nothing for so much longer than a statement may take is not there any more, whatever the socket
 * says.
 */
export const SILENCE_MS = 2_000;

type Answer = Promise<pg.QueryArrayResult<StoreValue[]>>;

/** The statements of a store as the server gets them. */
export interface PreparedStatements {
  /** The name of the view that marks the tables, once the store is held to them. */
  readonly held: string | undefined;
  /** From now on, every statement names this view. */
  hold(view: string | undefined): void;
  ask(on: Queryable, statement: Statement, values: readonly StoreValue[], longest?: number): Answer;
  /** The same without its name, for a connection that does not know it. */
  askUnnamed(on: Queryable, statement: Statement, values: readonly StoreValue[]): Answer;
}

/** A named statement is prepared once on each connection and stays there, so names are for those that come again. */
export function preparedStatements(isPooled = false): PreparedStatements {
  let held: string | undefined;
  let uses = new WeakMap<Statement, { readonly text: string; count: number; name?: string }>();
  let named = 0;

  function asUsed(statement: Statement): { readonly text: string; readonly name?: string } {
    let use = uses.get(statement);
    if (use === undefined) {
      const text = held === undefined ? statement.sql : heldRead(held, statement.sql);
      uses.set(statement, (use = { text, count: 0 }));
    }
    // Behind a pooler, the next statement meets another connection.
    if (use.name === undefined && !isPooled) {
      use.count += 1;
      if (use.count >= USES_BEFORE_NAME && named < MOST_NAMES) use.name = `v${(named += 1)}`;
    }
    return use;
  }

  return {
    get held() {
      return held;
    },
    hold(view) {
      held = view;
      // The view's name is part of their texts.
      uses = new WeakMap();
    },
    ask(on, statement, values, longest) {
      const used = asUsed(statement);
      // The driver makes a copy of the values, and leaves these as they are.
      return on.query({
        name: used.name,
        text: used.text,
        values: values as StoreValue[],
        rowMode: 'array',
        ...(longest === undefined ? {} : { query_timeout: longest + SILENCE_MS }),
      });
    },
    askUnnamed: (on, statement, values) =>
      on.query({ text: asUsed(statement).text, values: values as StoreValue[], rowMode: 'array' }),
  };
}
