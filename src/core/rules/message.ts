import type { ValueSpec } from '../model/field.ts';
import { own } from '../text/own.ts';

/** What to say where a rule of a field fails: the developer's own words, where there are some. */
export function worded(spec: ValueSpec, rule: string, detail: string): string {
  const { message } = spec.rules;
  if (message === undefined) return detail;
  return typeof message === 'string' ? message : (own(message, rule) ?? detail);
}
