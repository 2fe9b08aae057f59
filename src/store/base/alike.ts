import type { Statement, StoreValue } from '../../core/sql/statement.ts';

/** Somebody who waits for the answer to a statement. */
export interface Waiting<Answer> {
  answered(answer: Answer): void;
  failed(error: unknown): void;
}

/** Puts a statement to a database, and tells all who wait for it. */
export type AskFor<Answer> = (
  statement: Statement,
  values: readonly StoreValue[],
  waiting: readonly Waiting<Answer>[],
) => void;

interface Asked<Answer> {
  readonly values: readonly StoreValue[];
  readonly waiting: Waiting<Answer>[];
}

/**
 * Reads that come in together, and are alike, are asked for once. All that a turn of the event loop brings is read
 * before any of it is asked for: no answer is older than the question.
 */
export function askAlikeOnce<Answer>(
  ask: AskFor<Answer>,
): (statement: Statement, values: readonly StoreValue[], one: Waiting<Answer>) => void {
  let gathered: Map<Statement, Asked<Answer>[]> | undefined;

  function askAll(): void {
    const all = gathered!;
    gathered = undefined;
    for (const [statement, group] of all) {
      for (const { values, waiting } of group) {
        try {
          ask(statement, values, waiting);
        } catch (error) {
          // Nobody else is there to catch it.
          for (const one of waiting) one.failed(error);
        }
      }
    }
  }

  return (statement, values, one) => {
    if (gathered === undefined) {
      gathered = new Map();
      setImmediate(askAll);
    }
    const group = gathered.get(statement);
    if (group === undefined) return void gathered.set(statement, [{ values, waiting: [one] }]);
    const alike = lastOf(group).find((other) => isAlike(other.values, values));
    if (alike === undefined) group.push({ values, waiting: [one] });
    else alike.waiting.push(one);
  };
}

/** So many that differ are looked through for one that is alike: more would cost more than it saves. */
const MOST_LOOKED_AT = 32;
const lastOf = <Item>(group: readonly Item[]): readonly Item[] =>
  group.length <= MOST_LOOKED_AT ? group : group.slice(-MOST_LOOKED_AT);

const isAlike = (some: readonly StoreValue[], others: readonly StoreValue[]): boolean =>
  some.length === others.length && some.every((value, at) => Object.is(value, others[at]));
