import type { Grant } from '../model/access.ts';
import type { Model } from '../model/model.ts';
import { spoken } from '../text/names.ts';
import { grantsOf } from './condition.ts';
import type { Act } from './condition.ts';

/** Who may do something with the records of a model, in the words of its declaration. */
export const mayText = (model: Model, act: Act): string => grantsText(model, grantsOf(model, act));

/** `owner or role:steward`. */
export function grantsText(model: Model, grants: readonly Grant[]): string {
  const words = grants.flatMap((grant): string[] => {
    switch (grant.kind) {
      case 'role':
        return [`role:${grant.role}`];
      case 'path':
        return [grant.path.map(({ name }) => name).join('.')];
      case 'where':
        return [`where ${grant.text}`];
      case 'parent':
        return [`may ${grant.verb} its ${spoken(model.parent?.target ?? '')}`];
      case 'maker':
        return [];
      default:
        return [grant.kind];
    }
  });
  return words.length === 0 ? 'nobody' : [...new Set(words)].join(' or ');
}

/** The same in a sentence, for people who have not read the declaration. */
export function allowedText(model: Model, act: Act): string {
  const words = grantsOf(model, act).flatMap((grant): string[] => {
    switch (grant.kind) {
      case 'anybody':
        return ['anybody'];
      case 'signed-in':
        return ['everybody who is signed in'];
      case 'role':
        return [`the role ${grant.role}`];
      case 'path':
        return [`its ${grant.path.map(({ name }) => name).join('.')}`];
      case 'where':
        return [`everybody where ${grant.text}`];
      case 'parent':
        return [`everybody who may ${grant.verb} the ${spoken(model.parent?.target ?? '')}`];
      case 'maker':
        return [];
      default:
        return [grant.kind === 'owner' ? 'the owner' : grant.kind];
    }
  });
  const all = [...new Set(words)];
  const last = all.pop() ?? 'nobody';
  return `Allowed for ${all.length === 0 ? last : `${all.join(', ')} and ${last}`}.`;
}
