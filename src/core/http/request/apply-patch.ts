import { DEEPEST } from '../../text/exact-json.ts';
import { isRecord } from '../../text/value.ts';
import { childOf, indexOf, valueAt } from './pointer.ts';

/** One step of a JSON Patch (RFC 6902). */
export interface PatchStep {
  readonly op: 'add' | 'remove' | 'replace' | 'move' | 'copy' | 'test';
  readonly path: string;
  readonly from?: string;
  readonly value?: unknown;
}

/** A step with its pointers read. */
export interface ReadStep {
  readonly op: PatchStep['op'];
  readonly path: readonly string[];
  readonly from: readonly string[];
  readonly value: unknown;
}

/** Why a step cannot be applied. */
export type StepFault =
  | { readonly kind: 'nothing-there'; readonly at: 'path' | 'from' }
  | { readonly kind: 'other-value' }
  | { readonly kind: 'into-itself' }
  | { readonly kind: 'too-deep' }
  | { readonly kind: 'too-much' };

/**
 * The cost limit of a patch: copied and compared values, and moved items. Otherwise copies could double with each
 * step.
 */
const MOST_WORK = 2_000_000;

/** Applies the steps of a patch in order. It changes `target`, which nobody else may use. */
export function makePatcher(target: Record<string, unknown>): (step: ReadStep) => StepFault | undefined {
  let work = 0;
  const nothing = (at: 'path' | 'from'): StepFault => ({ kind: 'nothing-there', at });

  /** Counts the values inside, up to the limit; `Infinity` if they are nested too deep. */
  function measure(value: unknown, depth: number): number {
    if (typeof value !== 'object' || value === null) return 1 + (typeof value === 'string' ? value.length / 8 : 0);
    if (depth >= DEEPEST) return Infinity;
    let size = 1;
    for (const name in value) {
      size += 1 + measure((value as Record<string, unknown>)[name], depth + 1);
      if (size > MOST_WORK) break;
    }
    return size;
  }

  function put(path: readonly string[], value: unknown): StepFault | undefined {
    const size = measure(value, path.length);
    if (size === Infinity) return { kind: 'too-deep' };
    work += size;
    const parent = valueAt(target, path.slice(0, -1));
    const token = path.at(-1)!;
    if (Array.isArray(parent)) {
      const index = token === '-' ? parent.length : indexOf(token, parent.length + 1);
      if (index === undefined) return nothing('path');
      work += (parent.length - index) / 8;
      if (work > MOST_WORK) return { kind: 'too-much' };
      parent.splice(index, 0, value);
      return undefined;
    }
    // That name means something else in JavaScript.
    if (!isRecord(parent) || token === '__proto__') return nothing('path');
    if (work > MOST_WORK) return { kind: 'too-much' };
    parent[token] = value;
    return undefined;
  }

  function take(path: readonly string[]): void {
    const parent = valueAt(target, path.slice(0, -1)) as unknown[] | Record<string, unknown>;
    const token = path.at(-1)!;
    if (Array.isArray(parent)) {
      work += (parent.length - Number(token)) / 8;
      parent.splice(Number(token), 1);
    } else delete parent[token];
  }

  return ({ op, path, from, value }) => {
    if (work > MOST_WORK) return { kind: 'too-much' };
    if (op === 'add') return put(path, value);
    // A missing value differs from every value.
    if (op === 'test') return isEqual(valueAt(target, path), value) ? undefined : { kind: 'other-value' };
    const there = valueAt(target, op === 'move' || op === 'copy' ? from : path);
    if (there === undefined) return nothing(op === 'move' || op === 'copy' ? 'from' : 'path');
    switch (op) {
      case 'remove':
        take(path);
        return undefined;
      case 'replace': {
        const parent = valueAt(target, path.slice(0, -1));
        if (!Array.isArray(parent)) return put(path, value);
        take(path);
        return put(path, value);
      }
      case 'copy': {
        const size = measure(there, path.length);
        if (size === Infinity) return { kind: 'too-deep' };
        if (work + size > MOST_WORK) return { kind: 'too-much' };
        return put(path, structuredClone(there));
      }
      case 'move':
        if (path.length > from.length && from.every((token, at) => token === path[at])) return { kind: 'into-itself' };
        take(from);
        return put(path, there);
    }
  };
}

/** Whether two JSON values are the same. It costs no more than a look at all of `wanted`, however large `value` is. */
function isEqual(value: unknown, wanted: unknown): boolean {
  if (typeof wanted !== 'object' || wanted === null) return value === wanted;
  if (Array.isArray(wanted)) {
    return (
      Array.isArray(value) &&
      value.length === wanted.length &&
      wanted.every((item, at) => isEqual((value as unknown[])[at], item))
    );
  }
  if (!isRecord(value)) return false;
  const names = Object.keys(wanted);
  const isIn = (name: string): boolean => {
    const item = childOf(value, name);
    return item !== undefined && isEqual(item, (wanted as Record<string, unknown>)[name]);
  };
  return hasMembers(value, names.length) && names.every(isIn);
}

function hasMembers(value: Readonly<Record<string, unknown>>, count: number): boolean {
  let left = count;
  for (const _name in value) if ((left -= 1) < 0) return false;
  return left === 0;
}
