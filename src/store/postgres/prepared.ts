import type { Statement, StoreValue } from '../../core/sql/statement.ts';
import type { Queryable } from './ask.ts';
import { commandOf, configOf } from './query.ts';
import type { Query, Result } from './query.ts';
import { heldCommit, heldRead } from './tables-mark.ts';

const USES_BEFORE_NAME = 3;
const MOST_NAMES = 1_000;

/** The statements of a store as the server gets them. */
export interface PreparedStatements {
  /** The name of the view that marks the tables, once the store is held to them. */
  readonly held: string | undefined;
  /** From now on, every statement names this view. */
  hold(view: string | undefined): void;
  /** What keeps a transaction, if the tables still stand. */
  readonly commit: Query;
  /** A statement as it is put to a connection. */
  queryOf(statement: Statement, values: readonly StoreValue[]): Query;
  ask(on: Queryable, statement: Statement, values: readonly StoreValue[]): Promise<Result>;
  /** The same without its name, for a connection that does not know it. */
  askUnnamed(on: Queryable, statement: Statement, values: readonly StoreValue[]): Promise<Result>;
}

/** A named statement is prepared once on each connection and stays there, so names are for those that come again. */
export function preparedStatements(isPooled = false): PreparedStatements {
  let held: string | undefined;
  let commit = commandOf('COMMIT');
  let uses = new WeakMap<Statement, { readonly text: string; count: number; config: Query['config'] }>();
  let named = 0;

  function configFor(statement: Statement): Query['config'] {
    let use = uses.get(statement);
    if (use === undefined) {
      const text = held === undefined ? statement.sql : heldRead(held, statement.sql);
      uses.set(statement, (use = { text, count: 0, config: configOf(text) }));
    }
    // Behind a pooler, the next statement meets another connection.
    if (!isPooled && use.count < USES_BEFORE_NAME && named < MOST_NAMES) {
      use.count += 1;
      if (use.count === USES_BEFORE_NAME) use.config = configOf(use.text, `v${(named += 1)}`);
    }
    return use.config;
  }

  const queryOf = (statement: Statement, values: readonly StoreValue[]): Query => ({
    config: configFor(statement),
    values,
  });

  return {
    get held() {
      return held;
    },
    get commit() {
      return commit;
    },
    hold(view) {
      held = view;
      commit = commandOf(held === undefined ? 'COMMIT' : heldCommit(held));
      // The view's name is part of their texts.
      uses = new WeakMap();
    },
    queryOf,
    ask: (on, statement, values) => on.query(queryOf(statement, values)),
    askUnnamed: (on, statement, values) => on.query({ config: configOf(configFor(statement).text), values }),
  };
}
