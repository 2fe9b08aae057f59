import { collectionPath } from '../../core/api/endpoints.ts';
import { modelOf } from '../../core/model/graph.ts';
import type { Graph } from '../../core/model/graph.ts';
import type { Model } from '../../core/model/model.ts';

/** The records that refer to one of a model, as lists that the API gives of them. */
export const reversesOf = (graph: Graph, model: Model) =>
  model.reverses.flatMap(({ name, source, relation, one }) => {
    const other = modelOf(graph, source);
    const field = other.relations.find((candidate) => candidate.name === relation)?.field;
    if (field === undefined || !other.endpoints.has('list')) return [];
    return [{ name, model: source, member: field.member, path: collectionPath(graph, other), one }];
  });
