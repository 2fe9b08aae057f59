import type { EndpointName as DeclaredName, Graph, Model } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { underscored } from '../model/names.ts';

/** The endpoints that this version serves. */
export type EndpointName = Exclude<DeclaredName, 'clear'>;

export type Method = 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';

/** One thing that a client can ask of a service's models. */
export interface Endpoint {
  readonly name: EndpointName;
  readonly method: Method;
  /** With parameters in braces: `/v1/huts/{id}/nights`. */
  readonly path: string;
  readonly model: Model;
  /** The model whose record's key stands in the path before, where the endpoint is nested. */
  readonly under?: Model;
}

const METHODS: Readonly<Record<EndpointName, Method>> = {
  list: 'GET',
  create: 'POST',
  read: 'GET',
  replace: 'PUT',
  update: 'PATCH',
  delete: 'DELETE',
};

const ORDER = Object.keys(METHODS) as EndpointName[];

/** What the key of a model's record is called in a path. */
export const keyParameter = (model: Model): string => underscored(model.key.member);

/** Every endpoint that a model's declaration asks for; those nested under its parent come last. */
export function endpointsOf(graph: Graph, model: Model): Endpoint[] {
  const { prefix } = graph.service;
  const collection = `${prefix}/${model.plural}`;
  const endpoints: Endpoint[] = ORDER.filter((name) => model.endpoints.has(name)).map((name) => ({
    name,
    method: METHODS[name],
    path: name === 'list' || name === 'create' ? collection : `${collection}/{${keyParameter(model)}}`,
    model,
  }));
  if (model.parent === undefined) return endpoints;
  const under = modelOf(graph, model.parent.target);
  const nested = `${prefix}/${under.plural}/{${keyParameter(under)}}/${model.plural}`;
  const own = (['list', 'create'] as const).filter((name) => model.endpoints.has(name));
  return [...endpoints, ...own.map((name) => ({ name, method: METHODS[name], path: nested, model, under }))];
}

export const allEndpoints = (graph: Graph): Endpoint[] => graph.models.flatMap((model) => endpointsOf(graph, model));
