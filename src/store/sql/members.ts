import type { ObjectMember } from '../../core/sql/dialect.ts';

/** The condition of members of an object, where all that have one share it. */
export function soleCondition(members: readonly ObjectMember[]): string | undefined {
  const conditions = new Set(members.flatMap(({ when }) => when ?? []));
  return conditions.size === 1 ? [...conditions][0] : undefined;
}

export const unconditional = (members: readonly ObjectMember[]): ObjectMember[] =>
  members.filter(({ when }) => when === undefined);
