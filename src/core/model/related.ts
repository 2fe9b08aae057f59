import type { Links, Model, Relation, Reverse } from './graph.ts';

/** How one record leads to another: along its relation, or to the one that refers to it. */
export type Step = Relation | Reverse;

/** How one record leads to many. */
export type Via = Links | Reverse;

export const isReverse = (step: Step | Via): step is Reverse => 'source' in step;

type Relating = Pick<Model, 'relations' | 'links' | 'reverses'>;

/** The relation of this name that leads to one record at most, and the name of that record's model. */
export function stepCalled(
  model: Relating,
  name: string,
): { readonly step: Step; readonly target: string } | undefined {
  const relation = model.relations.find((candidate) => candidate.name === name);
  if (relation !== undefined) return { step: relation, target: relation.target };
  const reverse = model.reverses.find((candidate) => candidate.one && candidate.name === name);
  return reverse && { step: reverse, target: reverse.source };
}

/** The relation of this name that leads to many records, and the name of their model. */
export function viaCalled(model: Relating, name: string): { readonly via: Via; readonly target: string } | undefined {
  const links = model.links.find((candidate) => candidate.name === name);
  if (links !== undefined) return { via: links, target: links.target };
  const reverse = model.reverses.find((candidate) => !candidate.one && candidate.name === name);
  return reverse && { via: reverse, target: reverse.source };
}

/** The many-to-many relations whose keys a record shows and takes. */
export const linkedOf = ({ links }: Pick<Model, 'links'>): (Links & { readonly member: string })[] =>
  links.filter((candidate): candidate is Links & { readonly member: string } => candidate.member !== undefined);

/** The many-to-many relation whose keys a record shows under this name. */
export const linksShownAs = (model: Relating, member: string): Links | undefined =>
  model.links.find((candidate) => candidate.member === member);

/** The names of all that a record leads to. */
export const relatedNames = ({ relations, links, reverses }: Relating): string[] =>
  [...relations, ...links, ...reverses].map(({ name }) => name);
