import { fieldExpression } from '../expression/property.ts';
import { VERIFIED } from '../model/access.ts';
import type { Access, Grant, Verb } from '../model/access.ts';
import { asksWho, constant, kindOf, plain } from '../model/expression.ts';
import type { Expression } from '../model/expression.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Relation } from '../model/relation.ts';
import type { Viewer } from './viewer.ts';

/** A condition on a record: always true, never true, or an expression over it. */
export type Condition = boolean | Expression;

const BOOLEAN = plain('boolean');
export const NEVER: Expression = constant(false, BOOLEAN);

/** A condition as an expression; undefined if it is always true. */
export const expressionOf = (condition: Condition): Expression | undefined =>
  condition === true ? undefined : condition === false ? NEVER : condition;

export function both(...conditions: readonly Condition[]): Condition {
  if (conditions.includes(false)) return false;
  const open = conditions.filter((one): one is Expression => typeof one !== 'boolean');
  if (open.length < 2) return open[0] ?? true;
  return { op: 'and', args: open, type: BOOLEAN };
}

export function either(conditions: readonly Condition[]): Condition {
  if (conditions.includes(true)) return true;
  const open = conditions.filter((one): one is Expression => typeof one !== 'boolean');
  if (open.length < 2) return open[0] ?? false;
  return { op: 'or', args: open, type: BOOLEAN };
}

/** What a caller wants to do with the records of a model. */
export type Act = Verb | `operation ${string}`;

export const operationAct = (name: string): Act => `operation ${name}`;

/** What can be done with a record that is read, by the names of `may`. */
export const actsOnRecords = (model: Model): readonly (readonly [string, Act])[] => [
  ...(['update', 'replace', 'delete'] as const)
    .filter((verb) => model.endpoints.has(verb))
    .map((verb) => [verb, verb] as const),
  ...(model.journal ? [['journal', 'journal'] as const] : []),
  ...model.operations
    .filter(({ target }) => target === 'record')
    .map(({ name }) => [name, operationAct(name)] as const),
];

const isVerb = (access: Access, act: Act): act is Verb => Object.hasOwn(access.verbs, act);

export const grantsOf = ({ access }: Model, act: Act): readonly Grant[] =>
  isVerb(access, act) ? access.verbs[act] : (access.operations.get(act.slice('operation '.length)) ?? []);

/** The condition for a viewer to have one of these grants on a record. */
export function conditionOf(graph: Graph, model: Model, grants: readonly Grant[], viewer: Viewer): Condition {
  if (viewer.kind === 'service') return true;
  return either(grants.map((grant) => grantCondition(graph, model, grant, viewer)));
}

function grantCondition(graph: Graph, model: Model, grant: Grant, viewer: Viewer): Condition {
  switch (grant.kind) {
    case 'anybody':
      return true;
    case 'nobody':
    case 'maker':
      return false;
    case 'signed-in':
      return viewer.kind === 'caller';
    case 'role':
      return viewer.roles.has(grant.role);
    case 'verified':
      return viewer.roles.has(VERIFIED);
    case 'where':
      return grant.where;
    case 'owner':
      return viewer.kind === 'caller' && model.owner !== undefined && isCaller(graph, model, model.owner);
    case 'path':
      return viewer.kind === 'caller' && isCaller(graph, model, grant.path);
    case 'parent': {
      const { parent } = model;
      if (parent === undefined) return false;
      const whole = modelOf(graph, parent.target);
      const inner = conditionOf(graph, whole, whole.access.verbs[grant.verb], viewer);
      return typeof inner === 'boolean' ? inner : along(parent, inner);
    }
  }
}

/** The condition that a path of relations leads to the caller. */
function isCaller(graph: Graph, model: Model, path: readonly Relation[]): Expression {
  const last = path.at(-1);
  const key = last?.field ?? model.key;
  const me: Expression = { op: 'me', type: kindOf(modelOf(graph, graph.identity!.model).key) };
  const same: Expression = { op: '=', left: fieldExpression(key), right: me, type: BOOLEAN };
  return path.slice(0, -1).reduceRight<Expression>((of, step) => along(step, of), same);
}

/** The value of an expression over the record that a relation leads to. */
export const along = (step: Relation, of: Expression): Expression => ({
  op: 'at',
  step,
  target: step.target,
  of,
  type: of.type,
});

/** Whether signing in could give an anonymous caller one of these grants. */
export function couldBeHeld(graph: Graph, model: Model, grants: readonly Grant[]): boolean {
  if (graph.identity === undefined) return false;
  return grants.some((grant) => {
    if (grant.kind === 'where') return asksWho(grant.where);
    if (grant.kind !== 'parent') return !['nobody', 'maker', 'anybody'].includes(grant.kind);
    const whole = modelOf(graph, model.parent!.target);
    return couldBeHeld(graph, whole, whole.access.verbs[grant.verb]);
  });
}
