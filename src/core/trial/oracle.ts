import type { Caller } from '../expression/context.ts';
import { evaluate } from '../expression/evaluate.ts';
import type { Grant, Verb } from '../model/access.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import { isReverse } from '../model/relation.ts';
import type { Links, Relation, Step, Via } from '../model/relation.ts';
import type { FieldValue } from '../model/scalar.ts';

export type Row = Readonly<Record<string, FieldValue>>;
type Grants = readonly Grant[];

/** Who may do and see what, worked out in plain JavaScript from the grants and all records. */
export interface Oracle {
  readonly rows: ReadonlyMap<string, readonly Row[]>;
  /** Whether one of these is held on a record. */
  holds(grants: Grants, model: Model, row: Row, caller: Caller | null): boolean;
  /** Whether one of these could be held by such a caller, whatever the record. */
  could(grants: Grants, model: Model, caller: Caller | null): boolean;
  may(model: Model, verb: Verb, row: Row, caller: Caller | null): boolean;
  sees(model: Model, member: string, row: Row, caller: Caller | null): boolean;
  /** What a caller reads of a stored or computed member: undefined where it is left out. */
  seen(model: Model, member: string, row: Row, caller: Caller | null): FieldValue | undefined;
  related(model: Model, via: Step | Via, row: Row): readonly Row[];
}

/** The records that an oracle judges by. */
interface OracleData {
  readonly graph: Graph;
  readonly allOf: (name: string) => readonly Readonly<Record<string, FieldValue>>[];
  readonly keyOf: (model: Model, row: Readonly<Record<string, FieldValue>>) => FieldValue;
  readonly byKey: (name: string, key: FieldValue | undefined) => Readonly<Record<string, FieldValue>> | undefined;
  readonly isAt: (
    model: Model,
    path: readonly Relation[],
    row: Readonly<Record<string, FieldValue>>,
    caller: Caller,
  ) => boolean;
  readonly now: Date;
}

/** `rows` are all records of each model, whole; `now` is the time that conditions ask for. */
export function oracleOf(graph: Graph, rows: ReadonlyMap<string, readonly Row[]>, now: Date): Oracle {
  const allOf = (name: string): readonly Row[] => rows.get(name) ?? [];
  const keyOf = (model: Model, row: Row): FieldValue => row[model.key.member]!;
  const keyed = new Map(
    graph.models.map((model) => [model.name, new Map(allOf(model.name).map((row) => [keyOf(model, row), row]))]),
  );
  const byKey = (name: string, key: FieldValue | undefined): Row | undefined =>
    key === null || key === undefined ? undefined : keyed.get(name)!.get(key);

  const isAt = (model: Model, path: readonly Relation[], row: Row, caller: Caller): boolean => {
    let at: Row | undefined = row;
    let over = model;
    for (const step of path) {
      at = at && byKey(step.target, at[step.field.member]);
      over = modelOf(graph, step.target);
    }
    return at !== undefined && keyOf(over, at) === caller.key;
  };

  const data: OracleData = { graph, allOf, keyOf, byKey, isAt, now };
  const may: Oracle['may'] = (model, verb, row, caller) => holds(data, model.access.verbs[verb], model, row, caller);
  const sees: Oracle['sees'] = (model, member, row, caller) => {
    const grants = model.access.fields.get(member);
    return grants === undefined || holds(data, grants, model, row, caller);
  };

  return {
    rows,
    holds: (grants, model, row, caller) => holds(data, grants, model, row, caller),
    could: (grants, model, caller) => could(data, grants, model, caller),
    may,
    sees,
    related: (model, via, row) => related(data, model, via, row),
    seen(model, member, row, caller) {
      if (!sees(model, member, row, caller)) return undefined;
      const relation = model.relations.find(({ field }) => field.member === member);
      const links = model.links.find((one) => one.member === member);
      if (relation === undefined && links === undefined) return row[member];
      const via = relation ?? links!;
      const target = modelOf(graph, via.target);
      const read = related(data, model, via, row)
        .filter((other) => may(target, 'read', other, caller))
        .map((other) => keyOf(target, other));
      return links === undefined ? (read[0] ?? null) : [...read].sort();
    },
  };
}

function related(data: OracleData, model: Model, via: Step | Via, row: Row): readonly Row[] {
  const { graph, allOf, keyOf, byKey } = data;
  if (isReverse(via)) {
    const source = modelOf(graph, via.source);
    const { member } = source.relations.find(({ name }) => name === via.relation)!.field;
    return allOf(via.source).filter((other) => other[member] === keyOf(model, row));
  }
  if ('table' in via) return linkedRows(data, model, via, row);
  const one = byKey(via.target, row[via.field.member]);
  return one === undefined ? [] : [one];
}

function linkedRows({ graph, allOf, keyOf }: OracleData, model: Model, via: Links, row: Row): readonly Row[] {
  const target = modelOf(graph, via.target);
  if (via.member !== undefined) {
    const keys = (row[via.member] ?? []) as readonly FieldValue[];
    return allOf(via.target).filter((other) => keys.includes(keyOf(target, other)));
  }
  const back = linkedOf(target).find(({ table }) => table === via.table)!;
  return allOf(via.target).filter((other) => ((other[back.member] ?? []) as FieldValue[]).includes(keyOf(model, row)));
}

function holds(data: OracleData, grants: Grants, model: Model, row: Row, caller: Caller | null): boolean {
  const { isAt, graph, byKey, now } = data;
  return grants.some((grant) => {
    switch (grant.kind) {
      case 'anybody':
        return true;
      case 'signed-in':
        return caller !== null;
      case 'role':
        return caller?.roles.includes(grant.role) === true;
      case 'owner':
        return caller !== null && isAt(model, model.owner!, row, caller);
      case 'path':
        return caller !== null && isAt(model, grant.path, row, caller);
      case 'parent': {
        const whole = modelOf(graph, model.parent!.target);
        const parent = byKey(whole.name, row[model.parent!.field.member]);
        return parent !== undefined && holds(data, whole.access.verbs[grant.verb], whole, parent, caller);
      }
      case 'where':
        return (
          evaluate(grant.where, {
            values: row,
            now,
            caller,
            related: (via, _target, values) => related(data, model, via, values as Row),
          }) === true
        );
      default:
        return false;
    }
  });
}

function could(data: OracleData, grants: Grants, model: Model, caller: Caller | null): boolean {
  const { graph } = data;
  return grants.some((grant) => {
    if (grant.kind === 'anybody' || grant.kind === 'where') return true;
    if (grant.kind === 'nobody' || grant.kind === 'maker') return false;
    if (grant.kind === 'role') return caller?.roles.includes(grant.role) === true;
    if (grant.kind !== 'parent') return caller !== null;
    const whole = modelOf(graph, model.parent!.target);
    return could(data, whole.access.verbs[grant.verb], whole, caller);
  });
}
