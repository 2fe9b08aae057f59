import type { Path } from '../declaration/document.ts';
import type { Place, Problem } from '../declaration/problem.ts';
import type { ServiceSettings } from './graph.ts';

/** What `vantfell.yaml` holds, once its shape has been checked against `declaration/service-shape.ts`. */
export interface ServiceDeclaration {
  readonly service?: {
    readonly name?: string;
    readonly version?: string;
    readonly prefix?: string;
    readonly description?: string;
  };
  readonly key?: string;
  readonly store?: string;
  readonly paging?: { readonly default?: number; readonly most?: number };
  readonly limits?: { readonly body?: string };
}

const SHORTEST_KEY = 32;
const UNITS: Readonly<Record<string, number>> = { kB: 1_000, MB: 1_000_000 };

/** The settings of a service, with everything that was left out filled in. */
export function serviceSettings(
  declared: ServiceDeclaration,
  at: (path: Path) => Place,
): { service: ServiceSettings; problems: Problem[] } {
  const problems: Problem[] = [];
  const complain = (code: string, message: string, remedy: string, path: Path): void => {
    problems.push({ code, severity: 'error', message, remedy, place: at(path) });
  };

  const most = declared.paging?.most ?? Math.max(100, declared.paging?.default ?? 0);
  const usual = declared.paging?.default ?? Math.min(20, most);
  if (usual > most) {
    const message = `a page has ${usual} records by default, and may have ${most} at most`;
    complain('empty-range', message, 'lower paging.default, or raise paging.most', ['paging', 'default']);
  }
  const bytes = Buffer.byteLength(declared.key ?? '');
  if (declared.key !== undefined && bytes < SHORTEST_KEY) {
    const remedy = 'give it 32 bytes or more; or leave it out, and one is made and kept in .vantfell/';
    complain('short-key', `this key has ${bytes} bytes; ${SHORTEST_KEY} are the least`, remedy, ['key']);
  }
  const [, size = '1', unit = 'MB'] = /^(\d+)(kB|MB)$/.exec(declared.limits?.body ?? '') ?? [];
  return {
    problems,
    service: {
      name: declared.service?.name ?? '',
      version: declared.service?.version ?? '1.0.0',
      prefix: declared.service?.prefix ?? '',
      description: declared.service?.description,
      key: declared.key,
      store: declared.store,
      paging: { default: usual, most },
      largestBody: Number(size) * UNITS[unit]!,
    },
  };
}
