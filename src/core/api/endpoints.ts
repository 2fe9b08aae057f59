import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { EndpointName as DeclaredName, Model, Operation } from '../model/model.ts';
import { underscored } from '../text/names.ts';

/** What a model declares, its operations, and the journals of one record and of all. */
export type EndpointName = DeclaredName | 'operation' | 'journal';

export type Method = 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';

/** One endpoint of a model. */
export interface Endpoint {
  readonly name: EndpointName;
  readonly method: Method;
  /** With parameters in braces: `/v1/huts/{id}/nights`. */
  readonly path: string;
  readonly model: Model;
  /** Whether the path has the key of a record: its own, or that of the record `under` which it is nested. */
  readonly ofRecord: boolean;
  /** The parent model, where the endpoint is nested. */
  readonly under?: Model;
  readonly operation?: Operation;
}

const METHODS: Readonly<Record<DeclaredName, Method>> = {
  list: 'GET',
  create: 'POST',
  clear: 'DELETE',
  read: 'GET',
  replace: 'PUT',
  update: 'PATCH',
  delete: 'DELETE',
};

const ORDER = Object.keys(METHODS) as DeclaredName[];
const OF_ALL: readonly DeclaredName[] = ['list', 'create', 'clear'];

/** The name of a model's key in a path. */
export const keyParameter = (model: Model): string => underscored(model.key.member);

/** The path of all records of a model. */
export const collectionPath = ({ service }: Graph, { plural }: Model): string => `${service.prefix}/${plural}`;

/** Every declared endpoint of a model; those nested under its parent come last. */
export function endpointsOf(graph: Graph, model: Model): Endpoint[] {
  const collection = collectionPath(graph, model);
  const record = `${collection}/{${keyParameter(model)}}`;
  const endpoints: Endpoint[] = [
    ...ORDER.filter((name) => model.endpoints.has(name)).map((name): Endpoint => {
      const ofRecord = !OF_ALL.includes(name);
      return { name, method: METHODS[name], path: ofRecord ? record : collection, model, ofRecord };
    }),
    ...model.operations.map((operation): Endpoint => {
      const ofRecord = operation.target === 'record';
      const path = `${ofRecord ? record : collection}/${operation.name}`;
      return { name: 'operation', method: operation.reads ? 'GET' : 'POST', path, model, ofRecord, operation };
    }),
    ...(model.journal ? [false, true] : []).map((ofRecord): Endpoint => {
      const path = `${ofRecord ? record : collection}/journal`;
      return { name: 'journal', method: 'GET', path, model, ofRecord };
    }),
  ];
  if (model.parent === undefined) return endpoints;
  const under = modelOf(graph, model.parent.target);
  const path = `${collectionPath(graph, under)}/{${keyParameter(under)}}/${model.plural}`;
  const own = (['list', 'create'] as const).filter((name) => model.endpoints.has(name));
  return [
    ...endpoints,
    ...own.map((name): Endpoint => ({ name, method: METHODS[name], path, model, ofRecord: true, under })),
  ];
}

export const allEndpoints = (graph: Graph): Endpoint[] => graph.models.flatMap((model) => endpointsOf(graph, model));
