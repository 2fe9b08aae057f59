import { isKept } from '../case.ts';
import type { Step } from '../case.ts';

/** The names of kept values that a step uses. */
export function namesIn({ path, body, headers = {}, together = [] }: Step): string[] {
  const names = (text: string): string[] => [...text.matchAll(/\{([^}]+)\}/g)].map(([, name]) => name!);
  const inBody = (value: unknown): string[] => {
    if (isKept(value)) return [value.kept];
    return typeof value === 'object' && value !== null ? Object.values(value).flatMap(inBody) : [];
  };
  return [...names(path), ...Object.values(headers).flatMap(names), ...inBody(body), ...together.flatMap(namesIn)];
}

const keptBy = ({ keep, together = [] }: Step): string[] => [
  ...(keep === undefined ? [] : [keep].flat().map(({ name }) => name)),
  ...together.flatMap(keptBy),
];

/** Without steps that use what no step before them keeps. */
function usable(steps: readonly Step[]): Step[] {
  const known = new Set<string>();
  return steps.filter((step) => {
    if (namesIn(step).some((name) => !known.has(name))) return false;
    keptBy(step).forEach((name) => known.add(name));
    return true;
  });
}

/**
 * Leaves out steps of a list that fails, until none can be left out and it still fails: halves first, then smaller
 * parts, then one by one. `fails` runs a list; it is called `most` times at most.
 */
export async function shrink(
  steps: readonly Step[],
  fails: (steps: readonly Step[]) => Promise<boolean>,
  most = 400,
): Promise<readonly Step[]> {
  let [shortest, runs] = [steps, 0];
  for (let size = Math.ceil(steps.length / 2); size >= 1;) {
    let isShorter = false;
    for (let from = 0; from < shortest.length && runs < most; from += size) {
      const rest = usable([...shortest.slice(0, from), ...shortest.slice(from + size)]);
      if (rest.length === shortest.length || rest.length === 0) continue;
      runs += 1;
      if (!(await fails(rest))) continue;
      shortest = rest;
      isShorter = true;
      from -= size;
    }
    if (runs >= most || (size === 1 && !isShorter)) break;
    size = size > 1 ? Math.ceil(size / 2) : 1;
  }
  // Of requests that were sent at once, one may do.
  for (let at = 0; at < shortest.length; at += 1) {
    for (const part of shortest[at]!.together ?? []) {
      const alone = usable([...shortest.slice(0, at), part, ...shortest.slice(at + 1)]);
      if (alone.length < shortest.length || runs >= most) continue;
      runs += 1;
      if (!(await fails(alone))) continue;
      shortest = alone;
      break;
    }
  }
  return shortest;
}
