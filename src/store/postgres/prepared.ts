import type pg from 'pg';
import type { Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Queryable, Result } from './ask.ts';
import { heldRead } from './tables-mark.ts';

const USES_BEFORE_NAME = 3;
const MOST_NAMES = 1_000;

/** The statements of a store as the server gets them. */
export interface PreparedStatements {
  /** The name of the view that marks the tables, once the store is held to them. */
  readonly held: string | undefined;
  /** From now on, every statement names this view. */
  hold(view: string | undefined): void;
  /** A statement as it is put to a connection. */
  queryOf(statement: Statement, values: readonly StoreValue[]): pg.QueryArrayConfig;
  ask(on: Queryable, statement: Statement, values: readonly StoreValue[]): Promise<Result>;
  /** The same without its name, for a connection that does not know it. */
  askUnnamed(on: Queryable, statement: Statement, values: readonly StoreValue[]): Promise<Result>;
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

  function queryOf(statement: Statement, values: readonly StoreValue[]): pg.QueryArrayConfig {
    const { name, text } = asUsed(statement);
    // The driver makes a copy of the values, and leaves these as they are.
    return { name, text, values: values as StoreValue[], rowMode: 'array' };
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
    queryOf,
    ask: (on, statement, values) => on.query(queryOf(statement, values)),
    askUnnamed: (on, statement, values) =>
      on.query({ text: asUsed(statement).text, values: values as StoreValue[], rowMode: 'array' }),
  };
}
