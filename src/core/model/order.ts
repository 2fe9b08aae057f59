import type { Model } from './graph.ts';

/** Models so that each stands after those it refers to; among equals, and around circles, as they were declared. */
export function orderByReference(models: readonly Model[]): Model[] {
  const byName = new Map(models.map((model) => [model.name, model]));
  const ordered: Model[] = [];
  const entered = new Set<string>();

  const enter = (model: Model): void => {
    if (entered.has(model.name)) return;
    entered.add(model.name);
    for (const { target } of model.relations) {
      const other = byName.get(target);
      if (other !== undefined) enter(other);
    }
    ordered.push(model);
  };
  models.forEach(enter);
  return ordered;
}
