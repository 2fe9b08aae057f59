import { allEndpoints } from '../../api/endpoints.ts';
import type { Endpoint } from '../../api/endpoints.ts';
import type { Graph } from '../../model/graph.ts';

/** An endpoint, and the text of the key in its path. */
export interface Found {
  readonly endpoint: Endpoint;
  readonly key: string | undefined;
}

/** What answers at a path: declared names win over keys. */
export interface Paths {
  /** Undefined where the path is not there, or does not take the method. */
  find(method: string, path: string): Found | 'other-method' | undefined;
}

/** Whether a path stands for a text: a lone % does not. */
function isText(path: string): boolean {
  try {
    decodeURIComponent(path);
    return true;
  } catch {
    return false;
  }
}

export function pathsOf(graph: Graph): Paths {
  const places = allEndpoints(graph).map((endpoint) => ({ endpoint, segments: endpoint.path.split('/') }));
  const isKey = (segment: string): boolean => segment.startsWith('{');
  return {
    find(method, path) {
      if (!isText(path)) return undefined;
      const given = path.split('/');
      const fits = places.filter(
        ({ segments }) =>
          segments.length === given.length &&
          segments.every((segment, at) => (isKey(segment) ? given[at] !== '' : segment === given[at])),
      );
      const named = fits.filter(({ segments }) => !segments.some(isKey));
      const among = named.length > 0 ? named : fits;
      const found = among.find(({ endpoint }) => endpoint.method === method);
      if (found === undefined) return among.length > 0 ? 'other-method' : undefined;
      const at = found.segments.findIndex(isKey);
      return { endpoint: found.endpoint, key: at < 0 ? undefined : decodeURIComponent(given[at]!) };
    },
  };
}
