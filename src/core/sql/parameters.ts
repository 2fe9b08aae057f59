import type { Dialect } from './dialect.ts';
import type { StoreValue } from './statement.ts';

/** Takes values as parameters of a statement, and gives the placeholders that stand for them. */
export interface Binder<Input> {
  /** A value that each run works out from its input. */
  bind(value: (input: Input) => StoreValue): string;
  /** A value that is the same in every run. */
  constant(value: StoreValue): string;
}

/** The parameters of one statement: what builds its text binds values here, and nothing else counts placeholders. */
export interface Parameters<Input> extends Binder<Input> {
  /** How many placeholders there are, with those `before`. */
  readonly count: number;
  /** Whether every run has the same values. */
  readonly isConstant: boolean;
  /** The values for one run, in the order of their placeholders. A statement may repeat a placeholder. */
  values(input: Input): StoreValue[];
}

/**
 * Begins the parameters of a statement. `before` is the number of placeholders that come first and whose values each
 * run gives itself, such as the key of a record.
 *
 * @example
 * const parameters = parametersOf<{ now: Date }>(dialect);
 * const sql = `SELECT 1 WHERE day < ${parameters.bind(({ now }) => now.toISOString())}`;
 * await store.first({ sql }, parameters.values({ now: new Date() }));
 */
export function parametersOf<Input>(dialect: Pick<Dialect, 'placeholder'>, before = 0): Parameters<Input> {
  const bound: ((input: Input) => StoreValue)[] = [];
  let isConstant = true;
  return {
    bind(value) {
      isConstant = false;
      return dialect.placeholder(before + bound.push(value));
    },
    constant: (value) => dialect.placeholder(before + bound.push(() => value)),
    get count() {
      return before + bound.length;
    },
    get isConstant() {
      return isConstant;
    },
    values: (input) => bound.map((value) => value(input)),
  };
}
