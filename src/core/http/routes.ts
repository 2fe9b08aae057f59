import { allEndpoints } from '../api/endpoints.ts';
import type { Endpoint } from '../api/endpoints.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { nearest } from '../text/nearest.ts';

/** The endpoints of a path template, for all methods. */
export interface Place {
  /** `/v1/huts/{id}` */
  readonly path: string;
  readonly model: Model;
  readonly endpoints: ReadonlyMap<string, Endpoint>;
  /** The value of the header Allow. */
  readonly allow: string;
}

export interface Found {
  readonly place: Place;
  /** The record's own key, or its parent's where the place is nested, still as text; undefined for a collection. */
  readonly key: string | undefined;
}

export interface Routes {
  readonly endpoints: readonly Endpoint[];
  /** Undefined where nothing is at the path. */
  find(path: string): Found | undefined;
  /** The endpoint templates nearest to a wrong path. */
  near(path: string): string[];
}

/** Finds a path by its segments, with one look-up in a map. */
export function makeRoutes(graph: Graph): Routes {
  const endpoints = allEndpoints(graph);
  const prefix = `${graph.service.prefix}/`;
  // Paths with a key are stored without it: `huts/` for a record, `huts//nights` for its children.
  const [places, keyed] = [new Map<string, Place>(), new Map<string, Place>()];
  for (const { path, ofRecord } of endpoints) {
    const name = path.slice(prefix.length).replace(/\{[^}]+\}/, '');
    const among = ofRecord ? keyed : places;
    if (!among.has(name)) among.set(name, placeOf(endpoints.filter((endpoint) => endpoint.path === path)));
  }
  const templates = [...new Set(endpoints.map((endpoint) => endpoint.path))];

  return {
    endpoints,
    find(path) {
      if (!path.startsWith(prefix)) return undefined;
      const slash = path.indexOf('/', prefix.length);
      // A declared path wins over a key: `huts/journal` is no hut.
      const declared = places.get(path.slice(prefix.length));
      if (declared !== undefined) return { place: declared, key: undefined };
      if (slash < 0) return undefined;
      const second = path.indexOf('/', slash + 1);
      const end = second < 0 ? path.length : second;
      const place = keyed.get(path.slice(prefix.length, slash + 1) + path.slice(end));
      const key = decodeSegment(path.slice(slash + 1, end));
      // A path that ends with a slash is unknown.
      const complete = place !== undefined && key !== undefined && key !== '' && second !== path.length - 1;
      return complete ? { place, key } : undefined;
    },
    near(path) {
      const segments = path.split('/').filter((segment) => segment !== '');
      const words = new Set(templates.flatMap((template) => template.split('/').filter((word) => /^[^{]/.test(word))));
      const meant = segments.map((segment) => nearest(segment, words)).filter((word) => word !== undefined);
      const named = meant.filter((word) => !prefix.split('/').includes(word));
      const score = (template: string): number => named.filter((word) => template.split('/').includes(word)).length;
      return templates
        .filter((template) => score(template) > 0)
        .sort((a, b) => score(b) - score(a))
        .slice(0, 3);
    },
  };
}

function placeOf(here: readonly Endpoint[]): Place {
  const endpoints = new Map<string, Endpoint>(here.map((endpoint) => [endpoint.method, endpoint]));
  const read = endpoints.get('GET');
  if (read !== undefined) endpoints.set('HEAD', read);
  return { path: here[0]!.path, model: here[0]!.model, endpoints, allow: [...endpoints.keys(), 'OPTIONS'].join(', ') };
}

/** A decoded path segment; undefined if its percent-encoding is broken. */
function decodeSegment(segment: string): string | undefined {
  if (!segment.includes('%')) return segment;
  try {
    return decodeURIComponent(segment);
  } catch {
    return undefined;
  }
}
