import { LRUCache } from 'lru-cache';
import type { Caller } from '../expression/context.ts';
import { fieldExpression } from '../expression/property.ts';
import type { Expression } from '../model/expression.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { isReverse } from '../model/relation.ts';
import type { Relation, Step, Via } from '../model/relation.ts';
import { both, conditionOf, expressionOf, grantsOf, NEVER } from './condition.ts';
import type { Act, Condition } from './condition.ts';
import { SERVICE, viewersOf } from './viewer.ts';
import type { Viewer } from './viewer.ts';

/** What one kind of viewer may do and see, as conditions over records. */
export interface Permissions {
  readonly graph: Graph;
  readonly viewer: Viewer;
  /** The condition for doing something with a record. A caller who may not read it may do nothing with it. */
  may(model: Model, act: Act): Condition;
  /** The condition for seeing a member of a readable record, or the record behind a relation of that name. */
  sees(model: Model, name: string): Condition;
  /** The condition for setting a member of a record. */
  sets(model: Model, member: string): Condition;
  /** The condition for reading a related record: over that record. */
  reaches(model: Model, via: Step | Via): Condition;
}

export function permissionsFor(graph: Graph, viewer: Viewer): Permissions {
  const kept = new Map<Model, Map<string, Condition>>();
  const once = (model: Model, name: string, make: () => Condition): Condition => {
    let ofModel = kept.get(model);
    if (ofModel === undefined) kept.set(model, (ofModel = new Map<string, Condition>()));
    let condition = ofModel.get(name);
    if (condition === undefined) ofModel.set(name, (condition = make()));
    return condition;
  };
  const member = (model: Model, among: 'fields' | 'set', name: string): Condition => {
    const grants = model.access[among].get(name);
    return grants === undefined || once(model, `${among} ${name}`, () => conditionOf(graph, model, grants, viewer));
  };
  const may = (model: Model, act: Act): Condition =>
    once(model, act, () => conditionOf(graph, model, grantsOf(model, act), viewer));
  return {
    graph,
    viewer,
    may,
    sees: (model, name) => member(model, 'fields', memberBehind(model, name)),
    sets: (model, name) => member(model, 'set', name),
    reaches(model, via) {
      // A child that its parent's readers may read has a readable parent.
      if (via === model.parent && grantsOf(model, 'read').every(({ kind }) => kind === 'parent')) return true;
      const target = modelOf(graph, isReverse(via) ? via.source : via.target);
      // What is hidden at the other end must not show at this one.
      const other = otherEnd(target, via);
      return both(may(target, 'read'), other === undefined ? true : member(target, 'fields', other));
    },
  };
}

/** The member with the key of a relation; other names stand for themselves. */
function memberBehind({ relations, links }: Model, name: string): string {
  const found =
    relations.find((relation) => relation.name === name)?.field.member ??
    links.find((one) => one.name === name)?.member;
  return found ?? name;
}

/** The member of the records at the other end that refers back. */
function otherEnd(target: Model, via: Step | Via): string | undefined {
  if (isReverse(via)) return target.relations.find(({ name }) => name === via.relation)?.field.member;
  if (!('table' in via) || via.member !== undefined) return undefined;
  return target.links.find(({ table, member }) => table === via.table && member !== undefined)?.member;
}

/** The condition for doing something with a readable record. */
export const mayBoth = (permissions: Permissions, model: Model, act: Act): Condition =>
  act === 'read' || act === 'create'
    ? permissions.may(model, act)
    : both(permissions.may(model, 'read'), permissions.may(model, act));

/** The permissions of a service's callers: one set for each combination of roles that grants name. */
export interface PermissionSets {
  readonly service: Permissions;
  of(caller: Caller | null): Permissions;
}

/** The most combinations of roles that are kept. */
const MOST_KEPT = 64;

export function makePermissionSets(graph: Graph): PermissionSets {
  const viewerOf = viewersOf(graph);
  const kept = new LRUCache<string, Permissions>({ max: MOST_KEPT });
  return {
    service: permissionsFor(graph, SERVICE),
    of(caller) {
      const viewer = viewerOf(caller);
      let permissions = kept.get(viewer.id);
      if (permissions === undefined) kept.set(viewer.id, (permissions = permissionsFor(graph, viewer)));
      return permissions;
    },
  };
}

/** Computes a value once for each set of permissions. */
export function memoizeByPermissions<Made>(
  make: (permissions: Permissions) => Made,
): (permissions: Permissions) => Made {
  const known = new WeakMap<Permissions, { readonly made: Made }>();
  return (permissions) => {
    let found = known.get(permissions);
    if (found === undefined) known.set(permissions, (found = { made: make(permissions) }));
    return found.made;
  };
}

/** Whether a viewer never sees a member, on any record. */
export const hides = (permissions: Permissions, model: Model, name: string): boolean =>
  permissions.sees(model, name) === false;

/** A value of a record as a viewer sees it: null where it is hidden, or leads to a record that is. */
export function seenValue(permissions: Permissions, model: Model, member: string, value: Expression): Expression {
  const relation = model.relations.find(({ field }) => field.member === member);
  const reached = relation === undefined ? value : reachedKey(permissions, model, relation);
  const condition = expressionOf(permissions.sees(model, member));
  return condition === undefined ? reached : { op: 'when', condition, of: reached, type: reached.type };
}

/** The key in a relation, if its record can be read. */
export function reachedKey(permissions: Permissions, model: Model, relation: Relation): Expression {
  const own = fieldExpression(relation.field);
  const guard = permissions.reaches(model, relation);
  if (guard === true) return own;
  if (guard === false) return { op: 'when', condition: NEVER, of: own, type: own.type };
  const { key } = modelOf(permissions.graph, relation.target);
  return { op: 'at', step: relation, target: relation.target, of: fieldExpression(key), guard, type: own.type };
}
