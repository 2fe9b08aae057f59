import type { Grant } from '../model/access.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Relation } from '../model/relation.ts';
import { grantsOf, operationAct } from './condition.ts';
import type { Act } from './condition.ts';

/** Whether everybody may read every record of a model. */
export const isReadByAll = ({ access }: Model): boolean => access.verbs.read.some(({ kind }) => kind === 'anybody');

/** Whether anybody may read and change every record of a model without a parent. */
export const isOpen = ({ access, parent }: Model): boolean =>
  parent === undefined &&
  (['read', 'create', 'update', 'delete'] as const).every((verb) =>
    access.verbs[verb].some(({ kind }) => kind === 'anybody'),
  );

/** Whether anybody may do something with every record of a model, by its own or its parent's grants. */
export const isOpenFor = (graph: Graph, model: Model, act: Act): boolean =>
  grantsOf(model, act).some(
    (grant) =>
      grant.kind === 'anybody' ||
      (grant.kind === 'parent' && isOpenFor(graph, modelOf(graph, model.parent!.target), grant.verb)),
  );

/** Something that anybody may do, and the names of the models. */
export interface OpenAct {
  readonly act: 'read' | 'create' | 'update' | 'delete' | 'call';
  readonly of: readonly string[];
}

/** Everything that anybody may do without signing in: verbs with their models, and operations as `hut.calendar`. */
export function openActs(graph: Graph): OpenAct[] {
  const verbs = (['read', 'create', 'update', 'delete'] as const).map((act) => ({
    act,
    of: graph.models
      .filter((model) => model.endpoints.has(act) || (act === 'read' && model.endpoints.has('list')))
      .filter((model) => isOpenFor(graph, model, act))
      .map(({ name }) => name),
  }));
  const operations = graph.models.flatMap((model) =>
    model.operations
      .filter(({ name }) => isOpenFor(graph, model, operationAct(name)))
      .map(({ name }) => `${model.name}.${name}`),
  );
  return [...verbs, { act: 'call' as const, of: operations }].filter(({ of }) => of.length > 0);
}

/** A grant in its longest form: an owner is the caller at a path, and a parent's grants are told from its part. */
function spelledOut(graph: Graph, model: Model, grant: Grant): Grant[] {
  if (grant.kind === 'nobody' || grant.kind === 'maker') return [];
  if (grant.kind === 'owner') return model.owner === undefined ? [] : [{ kind: 'path', path: model.owner }];
  if (grant.kind !== 'parent') return [grant];
  const { parent } = model;
  if (parent === undefined) return [];
  const whole = modelOf(graph, parent.target);
  return whole.access.verbs[grant.verb]
    .flatMap((one) => spelledOut(graph, whole, one))
    .map((one) => (one.kind === 'path' ? { ...one, path: [parent, ...one.path] } : one));
}

const pathText = (path: readonly Relation[]): string => path.map(({ name }) => name).join('.');

/** Whether whoever has a grant surely has one of others; all are spelled out. */
function isAmong(grant: Grant, others: readonly Grant[]): boolean {
  return others.some((other) => {
    if (other.kind === 'anybody') return true;
    if (other.kind === 'signed-in') return !['anybody', 'where'].includes(grant.kind);
    if (other.kind === 'role') return grant.kind === 'role' && grant.role === other.role;
    if (other.kind === 'path') return grant.kind === 'path' && pathText(grant.path) === pathText(other.path);
    return other.kind === 'verified' && grant.kind === 'verified';
  });
}

/** Whether everybody who has one of these grants on a record surely has one of the others, too. */
export function implies(graph: Graph, model: Model, grants: readonly Grant[], others: readonly Grant[]): boolean {
  const given = others.flatMap((other) => spelledOut(graph, model, other));
  // Nobody changes the records of a parent that they may not read.
  const followsReaders = others.some((other) => other.kind === 'parent' && other.verb === 'read');
  return grants.every(
    (grant) =>
      (grant.kind === 'parent' && followsReaders) ||
      spelledOut(graph, model, grant).every((one) => isAmong(one, given)),
  );
}

/** Whether everybody who makes or changes a record may surely read it then. */
export function readsWhatItWrites(graph: Graph, model: Model, act: 'create' | 'update'): boolean {
  const { read, create, update, replace } = model.access.verbs;
  if (act === 'update') return implies(graph, model, [...update, ...replace], read);
  const [owner, ...further] = model.owner ?? [];
  // A signed-in caller without a role makes records for nobody else.
  const isOwn = owner?.field.rules.required === true && further.length === 0;
  const owners: Grant = { kind: 'owner' };
  const made = create.map((grant) => (isOwn && ['signed-in', 'verified'].includes(grant.kind) ? owners : grant));
  return implies(graph, model, made, read);
}
