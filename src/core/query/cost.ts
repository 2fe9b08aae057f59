import { isOfLetters, walk } from '../model/expression.ts';
import type { Expression } from '../model/expression.ts';
import type { Projection } from './projection.ts';

/** Whether it maps the letters of texts one by one. One long text is enough to block all other requests. */
export function isCostly(expression: Expression): boolean {
  let costly = false;
  walk(expression, (node) => {
    if (isOfLetters(node) && node.of.op !== 'constant') costly = true;
  });
  return costly;
}

/** The same for all computed values of a projection. */
export const isCostlyToShow = (projection: Projection): boolean =>
  projection.some((member): boolean => {
    if (member.when !== undefined && isCostly(member.when)) return true;
    switch (member.kind) {
      case 'field':
        return member.value !== undefined && isCostly(member.value);
      case 'computed':
        return isCostly(member.computed.value);
      case 'keys':
        return member.guard !== undefined && isCostly(member.guard);
      case 'may':
        return member.acts.some(({ when }) => when !== undefined && isCostly(when));
      default:
        return (member.guard !== undefined && isCostly(member.guard)) || isCostlyToShow(member.projection);
    }
  });
