import type { Grant } from '../model/access.ts';
import type { Model } from '../model/model.ts';
import { spoken } from '../text/names.ts';
import { grantsOf } from './condition.ts';
import type { Act } from './condition.ts';

/** Who may do something with the records of a model, in the words of its declaration. */
export const mayText = (model: Model, act: Act): string => grantsText(model, grantsOf(model, act));

/** `owner or role:steward`. */
export const grantsText = (model: Model, grants: readonly Grant[]): string =>
  namesOf(model, grants, 'declared').join(' or ') || 'nobody';

/** The same in a sentence, for people who have not read the declaration. */
export function allowedText(model: Model, act: Act): string {
  const all = namesOf(model, grantsOf(model, act), 'told');
  const last = all.pop() ?? 'nobody';
  return `Allowed for ${all.length === 0 ? last : `${all.join(', ')} and ${last}`}.`;
}

/** Whom a grant names: as its declaration does, and as a sentence tells it. */
interface GrantName {
  readonly declared: string;
  readonly told: string;
}

const namesOf = (model: Model, grants: readonly Grant[], how: keyof GrantName): string[] => [
  ...new Set(grants.flatMap((grant) => nameOf(model, grant)?.[how] ?? [])),
];

function nameOf(model: Model, grant: Grant): GrantName | undefined {
  switch (grant.kind) {
    case 'role':
      return { declared: `role:${grant.role}`, told: `the role ${grant.role}` };
    case 'path': {
      const path = grant.path.map(({ name }) => name).join('.');
      return { declared: path, told: `its ${path}` };
    }
    case 'where':
      return { declared: `where ${grant.text}`, told: `everybody where ${grant.text}` };
    case 'parent': {
      const parent = spoken(model.parent?.target ?? '');
      return {
        declared: `may ${grant.verb} its ${parent}`,
        told: `everybody who may ${grant.verb} the ${parent}`,
      };
    }
    case 'signed-in':
      return { declared: grant.kind, told: 'everybody who is signed in' };
    case 'verified':
      return { declared: grant.kind, told: 'everybody whose address is proved' };
    case 'owner':
      return { declared: grant.kind, told: 'the owner' };
    case 'maker':
      return undefined;
    default:
      return { declared: grant.kind, told: grant.kind };
  }
}
