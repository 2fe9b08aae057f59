import type { ProblemCode } from '../declaration/problem-codes.ts';
import type { Relation } from '../model/relation.ts';
import { didYouMean } from '../text/nearest.ts';
import type { Skeleton, Skeletons } from './model-draft.ts';

/** Follows a path of to-one relations (`hut.warden`); reports the first unknown name. */
export function relationPath(
  start: Skeleton,
  path: string,
  skeletons: Skeletons,
  complain: (code: ProblemCode, message: string, remedy: string) => void,
): { steps: readonly Relation[]; end: Skeleton } | undefined {
  const steps: Relation[] = [];
  let at = start;
  for (const name of path.split('.')) {
    const step = at.relations.find((relation) => relation.name === name);
    if (step === undefined && at.isBroken(name)) return undefined;
    if (step === undefined) {
      const message = `${at.name} has no relation \`${name}\` to one record`;
      const known = at.relations.map((relation) => relation.name);
      complain('unknown-relation', message, didYouMean(name, known));
      return undefined;
    }
    steps.push(step);
    const next = skeletons.get(step.target);
    if (next === undefined) return undefined;
    at = next;
  }
  return { steps, end: at };
}

/**
 * The relations that lead from a record to its owner. A child without an owner of its own has its parent's; a record
 * of the identity model owns itself. Undefined where there is none.
 */
export function ownerOf(
  model: Skeleton,
  skeletons: Skeletons,
  identity: string | undefined,
): readonly Relation[] | undefined {
  const { declaration, report } = model.draft;
  if (declaration.owner === undefined) {
    if (model.name === identity) return [];
    return inherited(model, skeletons, identity);
  }
  if (identity === undefined) {
    const remedy = 'declare an identity in vantfell.yaml, or leave the owner out';
    report.error('no-identity', 'nobody signs in to this service, so nobody can be the owner', remedy, ['owner']);
    return undefined;
  }
  const complain = (code: ProblemCode, message: string, remedy: string): void =>
    report.error(code, message, remedy, ['owner']);
  const found = relationPath(model, declaration.owner, skeletons, complain);
  if (found === undefined) return undefined;
  if (found.end.name === identity) return found.steps;
  const message = `this path ends at ${found.end.name}; an owner is a ${identity}`;
  const further = found.end.relations.filter((relation) => relation.target === identity);
  const remedy =
    further.length === 0
      ? `name a path that ends at ${identity}`
      : `go on, as ${further.map((relation) => `${declaration.owner}.${relation.name}`).join(' or ')}`;
  complain('owner-elsewhere', message, remedy);
  return undefined;
}

function inherited(
  model: Skeleton,
  skeletons: Skeletons,
  identity: string | undefined,
): readonly Relation[] | undefined {
  const steps: Relation[] = [];
  const seen = new Set<string>();
  for (let at: Skeleton | undefined = model; at?.parent !== undefined && !seen.has(at.name);) {
    seen.add(at.name);
    steps.push(at.parent);
    at = skeletons.get(at.parent.target);
    if (at === undefined) return undefined;
    if (at.name === identity && at.draft.declaration.owner === undefined) return steps;
    if (at.draft.declaration.owner === undefined) continue;
    // Problems of the parent's own path are reported there.
    const found = relationPath(at, at.draft.declaration.owner, skeletons, () => undefined);
    return found?.end.name === identity ? [...steps, ...(found?.steps ?? [])] : undefined;
  }
  return undefined;
}
