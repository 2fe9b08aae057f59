import { stepsOf } from '../api/failure.ts';
import { isKept } from './case.ts';

/** A body with the kept values in the places that stand for them. */
export function withKept(value: unknown, kept: ReadonlyMap<string, unknown>): unknown {
  if (isKept(value)) return kept.get(value.kept);
  if (Array.isArray(value)) return value.map((item) => withKept(item, kept));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([name, item]) => [name, withKept(item, kept)]));
}

/** A path with the kept values in its braces. */
export const pathWithKept = (path: string, kept: ReadonlyMap<string, unknown>): string =>
  path.replace(/\{([^}]+)\}/g, (_all, name: string) => encodeURIComponent(String(kept.get(name))));

/** The value at a JSON Pointer (RFC 6901); undefined where there is none. */
export function valueAt(pointer: string, value: unknown): unknown {
  let found = value;
  for (const step of stepsOf(pointer)) {
    if (typeof found !== 'object' || found === null) return undefined;
    found = (found as Record<string, unknown>)[step];
  }
  return found;
}
