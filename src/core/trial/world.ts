import { clientScope } from '../access/client-scope.ts';
import { permissionsFor } from '../access/permissions.ts';
import { SERVICE } from '../access/viewer.ts';
import type { Caller } from '../expression/context.ts';
import { evaluate } from '../expression/evaluate.ts';
import { parse } from '../expression/parse.ts';
import { typedCondition } from '../expression/type.ts';
import type { Expression } from '../model/expression.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import { oracleOf } from './oracle.ts';
import type { Oracle, Row } from './oracle.ts';

/** Somebody who asks, by the name of their sample; nobody has no record. */
export interface Person {
  readonly name: string;
  readonly caller: Caller | null;
}

export const NOBODY: Person = { name: 'nobody', caller: null };

/** The sample data as it stands in the database, and who is in it. */
export interface World {
  readonly graph: Graph;
  readonly now: Date;
  readonly people: readonly Person[];
  readonly oracle: Oracle;
  rowsOf(model: Model): readonly Row[];
  /** The records for which a condition in CQL2 is true, worked out in JavaScript. */
  matching(model: Model, condition: string): Row[];
  /** A stored or computed value of a record. */
  valueOf(model: Model, member: string, row: Row): FieldValue;
}

/** `rows` are all records of each model, whole. */
export function worldOf(
  graph: Graph,
  rows: ReadonlyMap<string, readonly Row[]>,
  people: readonly Person[],
  now: Date,
): World {
  const oracle = oracleOf(graph, rows, now);
  const permissions = permissionsFor(graph, SERVICE);
  const worked = (expression: Expression, model: Model, row: Row): FieldValue =>
    evaluate(expression, {
      values: row,
      now,
      caller: null,
      related: (via, _target, values) =>
        oracle.related(graph.byName.get(modelNameOf(values, model))!, via, values as Row),
    });
  const rowsOf = (model: Model): readonly Row[] => rows.get(model.name) ?? [];
  /** Which model a record is of: a step may lead on from another one. */
  const homes = new Map<unknown, string>();
  for (const [name, all] of rows) for (const row of all) homes.set(row, name);
  const modelNameOf = (values: unknown, model: Model): string => homes.get(values) ?? model.name;

  return {
    graph,
    now,
    people,
    oracle,
    rowsOf,
    matching(model, condition) {
      const expression = typedCondition(parse(condition), clientScope(permissions, model));
      return rowsOf(model).filter((row) => worked(expression, model, row) === true);
    },
    valueOf(model, member, row) {
      const computed = model.computed.find((one) => one.member === member);
      return computed === undefined ? (row[member] ?? null) : worked(computed.value, model, row);
    },
  };
}
