import { authorize, notAllowed, refusedOn, signInRequired, unknownRecord } from '../access/authorization.ts';
import { along, expressionOf, grantsOf } from '../access/condition.ts';
import type { Act, Condition } from '../access/condition.ts';
import type { Permissions } from '../access/permissions.ts';
import { asksForLinks } from '../access/viewer.ts';
import { pointerTo } from '../api/failure.ts';
import { compileExpression } from '../expression/compiled.ts';
import type { EvaluationContext } from '../expression/context.ts';
import { fieldExpression } from '../expression/property.ts';
import type { Expression } from '../model/expression.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { ownerField } from '../model/related.ts';
import type { Relation } from '../model/relation.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { isSame } from '../model/value.ts';
import { maskProjection } from '../query/mask-projection.ts';
import { projectionSql } from '../query/projection-sql.ts';
import { storedOf } from '../query/projection.ts';
import { fromKey, storedText, thereStatement } from '../query/statements.ts';
import type { Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import { parametersOf } from '../sql/parameters.ts';
import type { Statement } from '../sql/statement.ts';
import type { Guard, LockedRecord } from './contract.ts';
import { draftStatement, isTrue } from './draft-statement.ts';
import type { Valued } from './statements.ts';
import { evaluationOf } from './unit-of-work.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** What one kind of viewer may write in a model's records. */
export interface WritePermissions {
  /** Locks a record; refused if this viewer may not read it, or may not do this with it. */
  lockForWrite(work: UnitOfWork, key: Scalar, act: Act, guard?: Guard): Promise<LockedRecord>;
  /** Refuses new values that this viewer may not give a record. */
  authorizeDraft(work: UnitOfWork, act: Act, draft: Values): Promise<void>;
  /** Whether a record with these values is one that this viewer may write, as far as it can be told beforehand. */
  mayDraft(work: UnitOfWork, act: Act, draft: Values): Promise<boolean>;
  /** The same for conditions over links, once they are written. */
  authorizeStored(work: UnitOfWork, act: Act, key: Scalar): Promise<void>;
  /** Refuses members of a new record that this viewer may not set. */
  authorizeGiven(work: UnitOfWork, given: Values, draft: Values, defaults: Values): Promise<void>;
  /**
   * Refuses another owner, unless a role may choose one: a new record belongs to its maker, and an existing record
   * keeps its owner, however long the path to it is.
   */
  authorizeOwner(work: UnitOfWork, act: Act, draft: Values, before: Values): Promise<void>;
}

export function writePermissionsOf(model: Model, permissions: Permissions, dialect: Dialect): WritePermissions {
  const { graph } = permissions;
  const bindKey = (key: Scalar) => dialect.bind(model.key, key);
  const settable = settersOf(model, permissions);
  const held = keptBy((act: Act) => heldStatement(graph, model, permissions, act, settable.open, dialect));
  const drafts = keptBy((act: Act) => {
    const condition = permissions.may(model, act);
    if (typeof condition === 'boolean' || asksForLinks(condition)) return undefined;
    return draftStatement(graph, model, [condition], dialect);
  });
  const storeds = keptBy((act: Act) => {
    const condition = permissions.may(model, act);
    if (typeof condition === 'boolean' || !asksForLinks(condition)) return undefined;
    return thereStatement(graph, model, dialect, condition);
  });
  const isMaker = (member: string): boolean =>
    model.access.set.get(member)?.some(({ kind }) => kind === 'maker') === true;

  return {
    async lockForWrite(work, key, act, guard) {
      authorize(permissions, model, act);
      if (permissions.may(model, 'read') === false) throw unknownRecord(permissions, model);
      const statement = held(act);
      const row = await work.transaction.first(statement, [bindKey(key), ...statement.values(evaluationOf(work))]);
      if (row === undefined || !isTrue(row[2])) throw unknownRecord(permissions, model);
      if (!isTrue(row[3])) throw refusedOn(permissions, model, act);
      guard?.(row[0] as string);
      const record = JSON.parse(row[0] as string) as Values;
      const seen = row[1] === null ? record : (JSON.parse(row[1] as string) as Values);
      const open = new Map(settable.open.map(([member], at) => [member, isTrue(row[4 + at])]));
      return { record, seen, sets: (member) => open.get(member) ?? !settable.closed.has(member) };
    },

    async authorizeDraft(work, act, draft) {
      const statement = drafts(act);
      if (authorize(permissions, model, act) === true || statement === undefined) return;
      const [allowed] = await statement.holds(work, draft);
      if (allowed !== true) throw refusedOn(permissions, model, act);
    },

    async mayDraft(work, act, draft) {
      if (storeds(act) !== undefined) return false;
      const condition = permissions.may(model, act);
      if (typeof condition === 'boolean') return condition;
      return (await drafts(act)!.holds(work, draft))[0] === true;
    },

    async authorizeStored(work, act, key) {
      const statement = storeds(act);
      if (statement === undefined) return;
      const bound = [bindKey(key), ...statement.values(evaluationOf(work))];
      if ((await work.transaction.first(statement, bound)) === undefined) throw refusedOn(permissions, model, act);
    },

    async authorizeGiven(work, given, draft, defaults) {
      const named = Object.keys(given).filter((member) => !isMaker(member) && !isSame(given[member], defaults[member]));
      const closed = named.filter((member) => settable.closed.has(member));
      const open = settable.open.filter(([member]) => named.includes(member));
      const judged =
        open.length === 0
          ? []
          : await draftStatement(
              graph,
              model,
              open.map(([, condition]) => condition),
              dialect,
            ).holds(work, draft);
      refuseSetting(permissions, model, [
        ...closed,
        ...open.filter((_one, at) => judged[at] !== true).map(([member]) => member),
      ]);
    },

    authorizeOwner: ownerCheck(model, permissions, dialect),
  };
}

/** Refuses another owner, unless a role may choose one. */
function ownerCheck(
  model: Model,
  { graph, viewer }: Permissions,
  dialect: Dialect,
): WritePermissions['authorizeOwner'] {
  const owner = ownerField(model);
  const first = model.owner?.[0];
  const ownerBehind =
    model.owner === undefined || model.owner.length < 2 ? undefined : ownerStatement(graph, model.owner, dialect);
  return async (work, act, draft, before) => {
    if (viewer.kind === 'service' || first === undefined || hasRoleFor(graph, model, act, viewer.roles)) return;
    const { member } = first.field;
    const value = draft[member] ?? null;
    if (act === 'create') {
      if (owner === undefined || value === null || value === work.caller?.key) return;
      if (work.caller === null) throw signInRequired();
      throw notAllowed('only you can be the owner, unless a role lets you choose another', pointerTo(member));
    }
    if (isSame(value, before[member] ?? null)) return;
    const ownerAt = async (key: FieldValue): Promise<unknown> => {
      if (ownerBehind === undefined || key === null) return key;
      return (await work.transaction.first(ownerBehind, [dialect.bind(first.field, key)]))?.[0] ?? null;
    };
    if (String(await ownerAt(value)) === String(await ownerAt(before[member] ?? null))) return;
    if (work.caller === null) throw signInRequired();
    throw notAllowed('the owner would be another one, which takes a role that may', pointerTo(member));
  };
}

/** Whether the roles of a caller let them do this, whichever record it is. */
function hasRoleFor(graph: Graph, model: Model, act: Act, roles: ReadonlySet<string>): boolean {
  return grantsOf(model, act).some((grant) => {
    if (grant.kind === 'role') return roles.has(grant.role);
    return grant.kind === 'parent' && hasRoleFor(graph, modelOf(graph, model.parent!.target), grant.verb, roles);
  });
}

/** The key of the owner of whatever has the owner of the record with a key, the first step of the path to it. */
function ownerStatement(graph: Graph, [first, ...rest]: readonly Relation[], dialect: Dialect): Statement {
  const model = modelOf(graph, first!.target);
  const last: Expression = fieldExpression(rest.at(-1)!.field);
  const owner = rest.slice(0, -1).reduceRight<Expression>((of, step) => along(step, of), last);
  const sql = compileExpression(owner, model, graph, dialect, parametersOf(dialect, 1));
  return { sql: `SELECT ${sql} ${fromKey(model, dialect)}` };
}

/** 403 for members of a model that are not for this caller to set. */
export function refuseSetting({ viewer, graph }: Permissions, { name }: Model, members: readonly string[]): void {
  const [first] = members;
  if (first === undefined) return;
  if (viewer.kind === 'anonymous' && graph.identity !== undefined)
    throw signInRequired(`${members.join(', ')} may not be set without signing in`);
  const { identity, service } = graph;
  const isSecret = identity?.model === name && identity.secrets.wantsOld && identity.secret?.member === first;
  const way = isSecret ? `; POST ${service.prefix}/me/secret sets your own, with the old one` : '';
  throw notAllowed(`not for you to set${members.length > 1 ? `: ${members.join(', ')}` : ''}${way}`, pointerTo(first));
}

/** Members that are never, and those that are only sometimes, for a viewer to set. */
function settersOf(
  model: Model,
  permissions: Permissions,
): { readonly closed: ReadonlySet<string>; readonly open: readonly (readonly [string, Condition])[] } {
  const all = [...model.access.set.keys()].map((member) => [member, permissions.sets(model, member)] as const);
  return {
    closed: new Set(all.flatMap(([member, condition]) => (condition === false ? [member] : []))),
    open: all.filter(([, condition]) => typeof condition !== 'boolean'),
  };
}

/**
 * One row: all that is stored, the same as it is seen where that is less, whether it is read and done, and who sets
 * what.
 */
function heldStatement(
  graph: Graph,
  model: Model,
  permissions: Permissions,
  act: Act,
  setters: readonly (readonly [string, Condition])[],
  dialect: Dialect,
): Valued {
  const stored = storedOf(model);
  const readable = stored.filter(({ name }) => model.byMember.get(name)?.rules.writeOnly !== true);
  const seen = maskProjection(permissions, model, readable);
  const isWhole = seen.length === stored.length && seen.every((member, at) => member === stored[at]);
  const parameters = parametersOf<EvaluationContext>(dialect, 1);
  const shown = isWhole ? undefined : projectionSql(graph, model, seen, dialect, parameters);
  const flag = (condition: Condition): string => {
    const expression = expressionOf(condition);
    if (expression === undefined) return '1';
    return `CASE WHEN ${compileExpression(expression, model, graph, dialect, parameters)} THEN 1 ELSE 0 END`;
  };
  const flags = [
    permissions.may(model, 'read'),
    permissions.may(model, act),
    ...setters.map(([, condition]) => condition),
  ].map(flag);
  const texts = [storedText(graph, model, dialect), shown === undefined ? 'NULL' : dialect.text(shown)];
  return {
    sql: `SELECT ${[...texts, ...flags].join(', ')} ${fromKey(model, dialect)}${dialect.lock}`,
    values: parameters.values,
  };
}

function keptBy<Made>(make: (act: Act) => Made): (act: Act) => Made {
  const kept = new Map<Act, { readonly made: Made }>();
  return (act) => {
    let found = kept.get(act);
    if (found === undefined) kept.set(act, (found = { made: make(act) }));
    return found.made;
  };
}
