import type { Grant } from '../model/access.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
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

/** Whether everybody who has one of these grants on a record surely has one of the others, too. */
export const implies = (grants: readonly Grant[], others: readonly Grant[]): boolean =>
  grants.every((grant) => {
    const has = (kind: Grant['kind']): boolean => others.some((other) => other.kind === kind);
    switch (grant.kind) {
      case 'nobody':
      case 'maker':
        return true;
      case 'signed-in':
      case 'path':
        return has('anybody') || has('signed-in');
      case 'verified':
        return has('anybody') || has('signed-in') || has('verified');
      case 'role':
        return (
          has('anybody') ||
          has('signed-in') ||
          others.some((other) => other.kind === 'role' && other.role === grant.role)
        );
      case 'owner':
        return has('anybody') || has('signed-in') || has('owner');
      case 'parent':
        // Nobody changes the records of a parent that they may not read.
        return has('anybody') || others.some((other) => other.kind === 'parent' && other.verb === 'read');
      default:
        return has('anybody');
    }
  });

/** Whether everybody who makes or changes a record may surely read it then. */
export function readsWhatItWrites(graph: Graph, model: Model, act: 'create' | 'update'): boolean {
  if (isOpenFor(graph, model, 'read')) return true;
  const { read, create, update, replace } = model.access.verbs;
  if (act === 'update') return implies([...update, ...replace], read);
  const [owner, ...further] = model.owner ?? [];
  // A signed-in caller without a role makes records for nobody else.
  const isOwn = owner?.field.rules.required === true && further.length === 0;
  const owners: Grant = { kind: 'owner' };
  return implies(
    create.map((grant) => (isOwn && ['signed-in', 'verified'].includes(grant.kind) ? owners : grant)),
    read,
  );
}
