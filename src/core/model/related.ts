import type { Field } from './field.ts';
import type { Model } from './model.ts';
import type { Links, Step, Via } from './relation.ts';

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

/** The field with the owner, if it is the record's own: it defaults to the caller. */
export const ownerField = ({ owner }: Pick<Model, 'owner'>): Field | undefined =>
  owner?.length === 1 ? owner[0]!.field : undefined;

/** The names of all members of a record, without related records. */
export const ownNames = ({ shown, computed, links }: Model): string[] => [
  ...[...shown, ...computed].map(({ member }) => member),
  ...links.flatMap(({ member }) => member ?? []),
];

/** The names of shown members that cannot be set: they are stored neither in the record's row nor in its links. */
export const derivedNames = (model: Model): string[] => {
  const inView = model.views.get('default')!.map(({ name }) => name);
  return [...new Set([...inView, ...ownNames(model)])].filter(
    (name) => !model.byMember.has(name) && linksShownAs(model, name) === undefined,
  );
};
