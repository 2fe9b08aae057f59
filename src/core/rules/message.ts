import type { Field } from '../model/graph.ts';

/** What to say where a rule of a field fails: the developer's own words, where there are some. */
export function worded(field: Field, rule: string, detail: string): string {
  const own = field.rules.message;
  return own === undefined ? detail : typeof own === 'string' ? own : (own[rule] ?? detail);
}
