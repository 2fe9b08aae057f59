import { clientScope } from '../access/client-scope.ts';
import { permissionsFor } from '../access/permissions.ts';
import { SERVICE } from '../access/viewer.ts';
import type { Caller } from '../expression/context.ts';
import { parse } from '../expression/parse.ts';
import { typedCondition } from '../expression/type.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import { oracleOf } from './oracle/grants.ts';
import type { Oracle } from './oracle/grants.ts';
import type { Row, WorldState } from './oracle/world-state.ts';

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
  /** The same records, to be changed by the oracle. */
  readonly state: WorldState;
  readonly people: readonly Person[];
  readonly oracle: Oracle;
  rowsOf(model: Model): readonly Row[];
  /** The records for which a condition in CQL2 is true, worked out in JavaScript. */
  matching(model: Model, condition: string): Row[];
  /** A stored or computed value of a record. */
  valueOf(model: Model, member: string, row: Row): FieldValue;
}

/** `state` holds all records, whole. */
export function worldOf(state: WorldState, people: readonly Person[], now: Date): World {
  const { graph } = state;
  const oracle = oracleOf(graph, state, () => now);
  const permissions = permissionsFor(graph, SERVICE);
  const rowsOf = (model: Model): readonly Row[] => state.allOf(model.name);
  return {
    graph,
    now,
    state,
    people,
    oracle,
    rowsOf,
    matching(model, condition) {
      const expression = typedCondition(parse(condition), clientScope(permissions, model));
      return rowsOf(model).filter((row) => oracle.valueOf(expression, model, row) === true);
    },
    valueOf(model, member, row) {
      const computed = model.computed.find((one) => one.member === member);
      return computed === undefined ? (row[member] ?? null) : oracle.valueOf(computed.value, model, row);
    },
  };
}
