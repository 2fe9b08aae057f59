import type { Sight } from '../../access/sight.ts';
import type { Model } from '../../model/model.ts';
import type { Unseen } from '../../rules/schema.ts';

/** What may be hidden from a viewer on some records: they can't be held to send it back. */
export function unseenBy(sight: Sight, model: Model): Unseen {
  const reached = (member: string): boolean => {
    const relation = model.relations.find(({ field }) => field.member === member);
    return relation === undefined || sight.reaches(model, relation) === true;
  };
  const mayBeNull = (member: string): boolean => sight.viewer.kind !== 'service' && !reached(member);
  return {
    mayLeaveOut: ({ member }) =>
      sight.sees(model, member) !== true || sight.sets(model, member) !== true || mayBeNull(member),
    mayBeNull: ({ member }) => mayBeNull(member),
  };
}
