import type { NameScope } from '../expression/name-scope.ts';
import { childrenOf, manysOf, ownChildrenOf, walk } from '../model/expression.ts';
import type { Expression } from '../model/expression.ts';
import type { MadeDefault, Model } from '../model/model.ts';
import { usesOwnValues } from './formulas.ts';
import type { Skeleton } from './model-draft.ts';

/** What absent fields of a new record become, where expressions say so: over no record, and over the new one. */
export function defaultsOf(model: Skeleton, scope: NameScope): Pick<Model, 'defaults' | 'madeDefaults'> {
  const read = [...model.draft.defaults].flatMap(([member, defaultTo]) => {
    const value = defaultTo(scope);
    return value === undefined ? [] : [[member, value] as const];
  });
  const isSlug = (member: string): boolean => model.byMember.get(member)?.derivedFrom !== undefined;
  const made = new Map(read.filter(([member, value]) => usesRecord(value) || isSlug(member)));
  return {
    defaults: new Map(read.filter(([member]) => !made.has(member))),
    madeDefaults: inSteps(model, made),
  };
}

function inSteps(model: Skeleton, made: ReadonlyMap<string, Expression>): MadeDefault[] {
  const steps = new Map<string, number>();
  const stepOf = (member: string, open: readonly string[]): number => {
    const value = made.get(member);
    if (value === undefined) return 0;
    const report = model.draft.report.below('fields', member);
    const path = model.byMember.get(member)?.derivedFrom === undefined ? ['default', 'expr'] : ['from'];
    if (open.includes(member)) {
      const circle = [...open.slice(open.indexOf(member)), member].join(' → ');
      report.error('circle-of-values', `a circle: ${circle}`, 'work one of them out from given fields', path);
      return 0;
    }
    const known = steps.get(member);
    if (known !== undefined) return known;
    const members = ownMembers(value);
    const late = members.find((name) => isLate(model, name));
    if (late !== undefined) {
      const message = `\`${late}\` is not there yet when this is worked out`;
      report.error('bad-source', message, 'name what a client gives, or a related record has', path);
    }
    const step = 1 + Math.max(0, ...members.map((name) => stepOf(name, [...open, member])));
    steps.set(member, step);
    return step;
  };
  const all = [...made].flatMap(([member, value]): MadeDefault[] => {
    const step = stepOf(member, []);
    const field = model.byMember.get(member);
    return field === undefined ? [] : [{ field, value, ownValues: usesOwnValues(value), step }];
  });
  return all.sort((one, other) => one.step - other.step);
}

/** Slugs and serial keys are made after the defaults. */
function isLate(model: Skeleton, member: string): boolean {
  const field = model.byMember.get(member);
  return (
    field?.derivedFrom !== undefined || (field === model.key && ['serial', 'fields'].includes(model.draft.keyKind))
  );
}

function usesRecord(expression: Expression): boolean {
  let uses = false;
  walk(expression, (node) => (uses ||= node.op === 'field' || node.op === 'at' || manysOf(node).length > 0));
  return uses;
}

/** The members of its own record that an expression needs. */
function ownMembers(node: Expression): string[] {
  if (node.op === 'field') return [node.field.member];
  if (node.op === 'at') return 'field' in node.step ? [node.step.field.member] : [];
  const conditions = manysOf(node).flatMap(({ where }) => (where === undefined ? [] : outerMembers(where)));
  return [...ownChildrenOf(node).flatMap(ownMembers), ...conditions];
}

const outerMembers = (node: Expression): string[] =>
  node.op === 'outer' ? ownMembers(node.of) : childrenOf(node).flatMap(outerMembers);
