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
