import type { Model } from '../model/model.ts';

/**
 * Models so that each comes after those that it refers to; among equals, and around circles, as they were declared.
 * Where a circle has a reference that may be null, that is the one that gives way.
 */
export function orderByReference(models: readonly Model[]): Model[] {
  const byName = new Map(models.map((model) => [model.name, model]));
  const targets = new Map(
    models.map(({ name, relations }) => [
      name,
      relations.flatMap(({ target, field }) =>
        byName.has(target) ? [{ target, required: field.rules.required }] : [],
      ),
    ]),
  );
  const ordered: Model[] = [];
  const entered = new Set<string>();
  const open = new Set<string>();

  /** Whether a model can't be there without one that waits for it. */
  const needsOpen = (name: string, seen = new Set<string>()): boolean => {
    if (open.has(name)) return true;
    if (seen.has(name) || entered.has(name)) return false;
    seen.add(name);
    return targets.get(name)!.some(({ target, required }) => required && needsOpen(target, seen));
  };
  const enter = (name: string): void => {
    if (entered.has(name)) return;
    entered.add(name);
    open.add(name);
    for (const { target, required } of targets.get(name)!) if (required) enter(target);
    for (const { target } of targets.get(name)!) if (!needsOpen(target)) enter(target);
    open.delete(name);
    ordered.push(byName.get(name)!);
  };
  models.forEach(({ name }) => enter(name));
  return ordered;
}
