import { nearest } from '../declaration/nearest.ts';
import type { Graph, Model } from '../model/graph.ts';
import { allEndpoints } from './endpoints.ts';
import type { Endpoint, Method } from './endpoints.ts';
import { decodeSegment } from './query.ts';

/** What a path leads to, whatever the method: its endpoints, and the key that stands in it. */
export interface Place {
  readonly model: Model;
  readonly endpoints: ReadonlyMap<Method, Endpoint>;
  /** The record's own key, or its parent's where the place is nested; absent for a collection. */
  readonly key?: string;
  readonly allow: string;
}

export interface Routes {
  /** Undefined where nothing is at the path. */
  find(path: string): Place | undefined;
  /** The templates of the endpoints that a mistaken path was most likely meant for. */
  near(path: string): string[];
}

type Shelf = Omit<Place, 'key'>;

/** Looks paths up by their segments: no path costs more than three look-ups in a map. */
export function makeRoutes(graph: Graph): Routes {
  const { prefix } = graph.service;
  const shelves = new Map<string, { endpoints: Map<Method, Endpoint>; model: Model }>();
  for (const endpoint of allEndpoints(graph)) {
    const shelf = shelfName(endpoint.path.slice(prefix.length + 1).split('/'));
    const found = shelves.get(shelf) ?? { endpoints: new Map<Method, Endpoint>(), model: endpoint.model };
    found.endpoints.set(endpoint.method, endpoint);
    shelves.set(shelf, found);
  }
  const finished = new Map<string, Shelf>(
    [...shelves].map(([name, { endpoints, model }]) => [name, { model, endpoints, allow: allowOf(endpoints) }]),
  );
  const templates = [...new Set(allEndpoints(graph).map((endpoint) => endpoint.path))];

  return {
    find(path) {
      if (!path.startsWith(prefix) || path[prefix.length] !== '/') return undefined;
      const segments = path.slice(prefix.length + 1).split('/');
      if (segments.length > 3) return undefined;
      const shelf = finished.get(shelfName(segments));
      if (shelf === undefined || segments.length === 1) return shelf;
      const key = decodeSegment(segments[1]!);
      return key === undefined || key === '' ? undefined : { ...shelf, key };
    },
    near(path) {
      const segments = path.split('/').filter((segment) => segment !== '');
      const words = new Set(templates.flatMap((template) => template.split('/').filter((word) => /^[^{]/.test(word))));
      const meant = segments.map((segment) => nearest(segment, words)).filter((word) => word !== undefined);
      const named = meant.filter((word) => !prefix.includes(`/${word}`));
      const score = (template: string): number => named.filter((word) => template.split('/').includes(word)).length;
      return templates
        .filter((template) => score(template) > 0)
        .sort((a, b) => score(b) - score(a))
        .slice(0, 3);
    },
  };
}

/** `huts`, `huts/*` or `huts/*` + `/nights`: the key is whatever stands in the middle. */
const shelfName = ([collection = '', ...rest]: readonly string[]): string =>
  rest.length === 0 ? collection : rest.length === 1 ? `${collection}/*` : `${collection}/*/${rest[1]}`;

function allowOf(endpoints: ReadonlyMap<Method, Endpoint>): string {
  const methods = [...endpoints.keys()].flatMap((method) => (method === 'GET' ? ['GET', 'HEAD'] : [method]));
  return [...methods, 'OPTIONS'].join(', ');
}
