import type { Permissions } from '../../access/permissions.ts';
import type { Model } from '../../model/model.ts';
import type { Unseen } from '../../rules/schema.ts';

/** The members that may be hidden from a viewer on some records, and that it therefore need not send back. */
export function unseenBy(permissions: Permissions, model: Model): Unseen {
  const reached = (member: string): boolean => {
    const relation = model.relations.find(({ field }) => field.member === member);
    return relation === undefined || permissions.reaches(model, relation) === true;
  };
  const mayBeNull = (member: string): boolean => permissions.viewer.kind !== 'service' && !reached(member);
  return {
    mayLeaveOut: ({ member }) =>
      permissions.sees(model, member) !== true || permissions.sets(model, member) !== true || mayBeNull(member),
    mayBeNull: ({ member }) => mayBeNull(member),
  };
}
