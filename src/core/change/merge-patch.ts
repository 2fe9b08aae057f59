import { own } from '../text/own.ts';
import { isRecord } from '../text/value.ts';

/** JSON Merge Patch (RFC 7396): what `patch` makes of `target`. */
export function mergePatch(target: unknown, patch: unknown): unknown {
  if (!isRecord(patch)) return patch;
  const merged: Record<string, unknown> = isRecord(target) ? { ...target } : {};
  for (const [name, value] of Object.entries(patch)) {
    if (value === null) delete merged[name];
    else merged[name] = mergePatch(own(merged, name), value);
  }
  return merged;
}
