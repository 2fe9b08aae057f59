import type { ValueSpec } from '../model/graph.ts';

/** What to say where a rule of a field fails: the developer's own words, where there are some. */
export function worded(spec: ValueSpec, rule: string, detail: string): string {
  const own = spec.rules.message;
  return own === undefined ? detail : typeof own === 'string' ? own : (own[rule] ?? detail);
}
