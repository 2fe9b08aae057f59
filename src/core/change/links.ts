import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import type { Links } from '../model/relation.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import type { Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Statement } from '../sql/statement.ts';
import type { Transaction } from '../store/contract.ts';
import { spoken } from '../text/names.ts';
import { quoted } from '../text/value.ts';
import type { LookUps } from './statements.ts';
import { evaluationOf } from './unit-of-work.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** The many-to-many relations of a model's records, by the members that hold their keys. */
export interface LinkWriter {
  readonly members: readonly string[];
  /** Sorts keys as they are shown. */
  arrange(values: Values): void;
  /** New keys that lead to no record that `linked` finds. */
  failuresOf(work: UnitOfWork, values: Values, before: Values, linked: LookUps['linked']): Promise<Failure[]>;
  /** The keys that a client wants to link, and the linked keys that are hidden from it. */
  joined(member: string, wanted: FieldValue | undefined, seen: Values, record: Values): FieldValue;
  isSame(values: Values, before: Values): boolean;
  /** Adds and removes links, until they are those that `values` names. */
  write(transaction: Transaction, key: Scalar, values: Values, before: Values): Promise<void>;
}

interface Written {
  readonly links: Links & { readonly member: string };
  readonly add: Statement;
  readonly remove: Statement;
}

export function linkWriter(graph: Graph, model: Model, dialect: Dialect): LinkWriter {
  const all = linkedOf(model).map((links): Written => ({ links, ...statementsOf(links, dialect) }));

  /** The keys that are only in the first list. */
  const missing = (from: Values, to: Values, member: string): Scalar[] => {
    const there = new Set(keysIn(to, member));
    return keysIn(from, member).filter((key) => !there.has(key));
  };

  return {
    members: all.map(({ links }) => links.member),

    arrange(values) {
      for (const { links } of all) {
        const keys = [...keysIn(values, links.member)];
        const isNumeric = links.key.type === 'integer';
        values[links.member] = isNumeric ? keys.sort((one, other) => Number(one) - Number(other)) : keys.sort();
      }
    },

    async failuresOf(work, values, before, linked) {
      const evaluation = evaluationOf(work);
      const failures: Failure[] = [];
      for (const { links } of all) {
        const there = linked.get(links.member)!;
        const { key } = modelOf(graph, links.target);
        for (const one of missing(values, before, links.member)) {
          const bound = [dialect.bind(key, one), ...there.values(evaluation)];
          if ((await work.transaction.first(there, bound)) !== undefined) continue;
          const detail = `there is no ${spoken(links.target)} ${quoted(one)}`;
          const pointer = pointerTo(links.member, keysIn(values, links.member).indexOf(one));
          failures.push({ pointer, rule: 'unknown-record', detail });
        }
      }
      return failures;
    },

    joined: (member, wanted, seen, record) => [
      ...new Set([...((wanted ?? []) as readonly Scalar[]), ...missing(record, seen, member)]),
    ],

    isSame: (values, before) =>
      all.every(({ links: { member } }) =>
        [missing(values, before, member), missing(before, values, member)].every((keys) => keys.length === 0),
      ),

    async write(transaction, key, values, before) {
      const near = dialect.bind(model.key, key);
      for (const { links, add, remove } of all) {
        const far = modelOf(graph, links.target).key;
        for (const one of missing(before, values, links.member)) {
          await transaction.run(remove, [near, dialect.bind(far, one)]);
        }
        for (const one of missing(values, before, links.member)) {
          await transaction.run(add, [near, dialect.bind(far, one)]);
        }
      }
    },
  };
}

const keysIn = (values: Values, member: string): readonly Scalar[] => (values[member] ?? []) as readonly Scalar[];

function statementsOf(links: Links, { name, placeholder, onConflict }: Dialect): Omit<Written, 'links'> {
  const [table, near, far] = [links.table, links.near, links.far].map(name) as [string, string, string];
  const both = [1, 2].map(placeholder);
  return {
    // Another transaction may have made the same link a moment ago.
    add: { sql: `INSERT INTO ${table} (${near}, ${far}) VALUES (${both.join(', ')}) ${onConflict([near, far], {})}` },
    remove: { sql: `DELETE FROM ${table} WHERE ${near} = ${both[0]} AND ${far} = ${both[1]}` },
  };
}
