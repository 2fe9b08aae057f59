import { expressionOf } from '../access/condition.ts';
import { hides, reachedKey } from '../access/permissions.ts';
import type { Permissions } from '../access/permissions.ts';
import { modelOf } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { ProjectedMember, Projection } from './projection.ts';

/**
 * A projection as a viewer sees it: without members that are always hidden, with conditions for members that are
 * sometimes hidden, and with guards for related records.
 */
export const maskProjection = (permissions: Permissions, model: Model, projection: Projection): Projection =>
  permissions.viewer.kind === 'service'
    ? projection
    : projection
        .filter(({ name }) => !hides(permissions, model, name))
        .map((member) => seenMember(permissions, model, member));

function seenMember(permissions: Permissions, model: Model, member: ProjectedMember): ProjectedMember {
  const when = expressionOf(permissions.sees(model, member.name));
  const seen = when === undefined ? member : { ...member, when };
  switch (seen.kind) {
    case 'computed':
    case 'may':
      return seen;
    case 'field': {
      const relation = model.relations.find(({ field }) => field === seen.field);
      return relation === undefined || permissions.reaches(model, relation) === true
        ? seen
        : { ...seen, value: reachedKey(permissions, model, relation) };
    }
    case 'keys': {
      const guard = expressionOf(permissions.reaches(model, seen.links));
      return guard === undefined ? seen : { ...seen, guard };
    }
    case 'one': {
      const guard = expressionOf(permissions.reaches(model, seen.step));
      return { ...seen, guard, projection: seenOf(permissions, seen.target, seen.projection) };
    }
    case 'many': {
      const guard = expressionOf(permissions.reaches(model, seen.via));
      return { ...seen, guard, projection: seenOf(permissions, seen.target, seen.projection) };
    }
  }
}

const seenOf = (permissions: Permissions, target: string, projection: Projection): Projection =>
  maskProjection(permissions, modelOf(permissions.graph, target), projection);
