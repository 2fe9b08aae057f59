import { expressionOf } from '../access/condition.ts';
import { hides, reachedKey } from '../access/sight.ts';
import type { Sight } from '../access/sight.ts';
import { modelOf } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Shown, ShownMember } from './shown.ts';

/**
 * What a viewer sees of what is shown: members that they never see are not there, those that they see on some records
 * have a condition, and related records count as absent where they may not be read.
 */
export const seenBy = (sight: Sight, model: Model, shown: Shown): Shown =>
  sight.viewer.kind === 'service'
    ? shown
    : shown.filter(({ name }) => !hides(sight, model, name)).map((member) => seenMember(sight, model, member));

function seenMember(sight: Sight, model: Model, member: ShownMember): ShownMember {
  const when = expressionOf(sight.sees(model, member.name));
  const seen = when === undefined ? member : { ...member, when };
  switch (seen.kind) {
    case 'computed':
      return seen;
    case 'field': {
      const relation = model.relations.find(({ field }) => field === seen.field);
      return relation === undefined || sight.reaches(model, relation) === true
        ? seen
        : { ...seen, value: reachedKey(sight, model, relation) };
    }
    case 'keys': {
      const guard = expressionOf(sight.reaches(model, seen.links));
      return guard === undefined ? seen : { ...seen, guard };
    }
    case 'one': {
      const guard = expressionOf(sight.reaches(model, seen.step));
      return { ...seen, guard, shown: seenOf(sight, seen.target, seen.shown) };
    }
    case 'many': {
      const guard = expressionOf(sight.reaches(model, seen.via));
      return { ...seen, guard, shown: seenOf(sight, seen.target, seen.shown) };
    }
  }
}

const seenOf = (sight: Sight, target: string, shown: Shown): Shown =>
  seenBy(sight, modelOf(sight.graph, target), shown);
