import type { GrantDeclaration, GrantsDeclaration, MayDeclaration } from '../declaration/declarations.ts';
import type { Path } from '../declaration/declared.ts';
import type { Reporter } from '../declaration/reporter.ts';
import type { NameScope } from '../expression/name-scope.ts';
import { verbs } from '../model/access.ts';
import type { Access, Grant, Verb } from '../model/access.ts';
import type { Identity } from '../model/identity.ts';
import type { Operation } from '../model/model.ts';
import type { Relation } from '../model/relation.ts';
import { didYouMean } from '../text/nearest.ts';
import { declaredExpression } from './expression.ts';
import { warnOfIdle, warnOfUnread } from './idle-grants.ts';
import type { Skeleton, Skeletons } from './model-draft.ts';
import { relationPath } from './owner.ts';

/** What the grants of one model are resolved against. */
export interface GrantContext {
  readonly skeletons: Skeletons;
  readonly identity?: Identity;
  readonly owner?: readonly Relation[];
  readonly scope: NameScope;
  /** Its operations. */
  readonly operations: readonly Pick<Operation, 'name' | 'target'>[];
  /** Problems of this model that have been reported. */
  readonly told: Set<string>;
}

type Grants = readonly Grant[];

const NOBODY: Grants = [{ kind: 'nobody' }];
const ANYBODY: Grants = [{ kind: 'anybody' }];
const SIGNED_IN: Grants = [{ kind: 'signed-in' }];

/** Who may do what with a model's records: what `may` says, and what holds where it says nothing. */
export function accessOf(model: Skeleton, context: GrantContext): Access {
  const { may } = model.draft.declaration;
  const report = model.draft.report.below('may');
  const usual = usualVerbs(model, context);
  const given = may === undefined ? undefined : declaredVerbs(may, model, context, report);
  const access: Access = {
    verbs: given ?? usual,
    operations: operationGrants(may, model, context, report),
    fields: memberGrants('fields', may, model, context, report),
    set: new Map([...usualSetters(model, context), ...memberGrants('set', may, model, context, report)]),
  };
  if (may !== undefined) {
    refuseStrangers(may, context, report);
    warnOfIdle(may, model, access, report);
    warnOfUnread(may, context.operations, access, report);
  }
  return access;
}

function usualVerbs(model: Skeleton, { identity, owner }: GrantContext): Access['verbs'] {
  const all = (read: Grants, create: Grants, change: Grants): Access['verbs'] => ({
    read,
    create,
    update: change,
    replace: change,
    delete: change,
    clear: change,
    journal: change,
  });
  if (model.parent !== undefined) {
    const update: Grants = [{ kind: 'parent', verb: 'update' }];
    return all([{ kind: 'parent', verb: 'read' }], update, update);
  }
  if (identity === undefined) return all(ANYBODY, ANYBODY, ANYBODY);
  return all(SIGNED_IN, SIGNED_IN, owner === undefined ? NOBODY : [{ kind: 'owner' }]);
}

const follows: Readonly<Partial<Record<Verb, Verb>>> = { replace: 'update', clear: 'delete', journal: 'update' };

function declaredVerbs(may: MayDeclaration, model: Skeleton, context: GrantContext, report: Reporter): Access['verbs'] {
  const grants = new Map<Verb, Grants>();
  for (const verb of verbs) {
    if (Object.hasOwn(may, verb)) grants.set(verb, readGrants(may[verb], [verb], model, context, report));
  }
  const of = (verb: Verb): Grants => grants.get(verb) ?? (follows[verb] === undefined ? NOBODY : of(follows[verb]));
  return Object.fromEntries(verbs.map((verb) => [verb, of(verb)])) as Record<Verb, Grants>;
}

function operationGrants(
  may: MayDeclaration | undefined,
  model: Skeleton,
  context: GrantContext,
  report: Reporter,
): Access['operations'] {
  const grants = new Map<string, Grants>();
  for (const { name, target } of context.operations) {
    if (may !== undefined && Object.hasOwn(may, name)) {
      const held = readGrants(may[name], [name], model, context, report);
      if (target === 'list') refuseRecordless(name, held, report);
      grants.set(name, held);
      continue;
    }
    const open = context.identity === undefined && may === undefined;
    grants.set(name, open ? ANYBODY : NOBODY);
    if (open) continue;
    const message = `nobody may do ${model.name}.${name}: \`may\` doesn't name it`;
    model.draft.report.warn('nobody-may', message, `write who may: may: { ${name}: … }`, ['operations', name], 'key');
  }
  return grants;
}

/** What depends on a record can't be held where there is none. */
function refuseRecordless(name: string, grants: Grants, report: Reporter): void {
  if (!grants.some(({ kind }) => kind === 'owner' || kind === 'path' || kind === 'where')) return;
  const message = `\`${name}\` is done on no record, so nobody can be its owner, and nothing can be true of it`;
  report.error('no-record', message, 'take anybody, signed-in, role:… or nobody; or give it target: record', [name]);
}

/**
 * Nobody sets their own roles or subject; a secret is set by its owner, unless that takes the old one, and by the
 * record's maker.
 */
function usualSetters(model: Skeleton, { identity }: GrantContext): [string, Grants][] {
  if (identity?.model !== model.name) return [];
  const closed = [identity.roles, identity.subject].flatMap((field) => field?.member ?? []);
  return [
    ...closed.map((member): [string, Grants] => [member, NOBODY]),
    ...(identity.secret === undefined ? [] : [[identity.secret.member, secretSetters(identity)] as [string, Grants]]),
  ];
}

const secretSetters = ({ secrets }: Identity): Grants =>
  secrets.wantsOld ? [{ kind: 'maker' }] : [{ kind: 'owner' }, { kind: 'maker' }];

function memberGrants(
  key: 'fields' | 'set',
  may: MayDeclaration | undefined,
  model: Skeleton,
  context: GrantContext,
  report: Reporter,
): Map<string, Grants> {
  const grants = new Map<string, Grants>();
  const relations = model.relations.map(({ name, field }): [string, string] => [name, field.member]);
  const links = model.links.flatMap(({ name, member }): [string, string][] =>
    member === undefined
      ? []
      : [
          [name, member],
          [member, member],
        ],
  );
  const computed = key === 'set' ? [] : [...context.scope.computedNames(model.name)];
  const members = new Map([
    ...[...model.byMember.keys(), ...computed].map((member): [string, string] => [member, member]),
    ...relations,
    ...links,
  ]);
  for (const [name, declared] of Object.entries(may?.[key] ?? {})) {
    const member = members.get(name);
    if (member === undefined) {
      const message = `${model.name} has no member \`${name}\``;
      report.error('unknown-field', message, didYouMean(name, members.keys()), [key, name], 'key');
    } else if (declared !== undefined) {
      grants.set(member, readGrants(declared, [key, name], model, context, report));
      if (key === 'set') refuseOwnSecret(member, grants.get(member)!, model, context, report);
    }
  }
  return grants;
}

/** Where a new secret takes the old one, no grant goes round that. */
function refuseOwnSecret(
  member: string,
  grants: Grants,
  { name }: Skeleton,
  { identity }: GrantContext,
  report: Reporter,
): void {
  if (identity?.model !== name || !identity.secrets.wantsOld || member !== identity.secret?.member) return;
  if (!grants.some(({ kind }) => ['owner', 'signed-in', 'anybody'].includes(kind))) return;
  const message = `whoever sets their own ${member} gives the old one, at POST /me/secret; this grant goes round that`;
  report.error('wrong-identity', message, 'leave it out, or grant it to a role', ['set', member]);
}

function readGrants(
  declared: GrantsDeclaration | undefined,
  path: Path,
  model: Skeleton,
  context: GrantContext,
  report: Reporter,
): Grants {
  if (declared === undefined) return NOBODY;
  if (!isList(declared)) return readGrant(declared, path, model, context, report) ?? NOBODY;
  return declared.flatMap((grant, index) => readGrant(grant, [...path, index], model, context, report) ?? []);
}

const isList = (declared: GrantsDeclaration): declared is readonly GrantDeclaration[] => Array.isArray(declared);

/** One grant; undefined if it is wrong, which is reported. */
function readGrant(
  declared: GrantDeclaration,
  path: Path,
  model: Skeleton,
  context: GrantContext,
  report: Reporter,
): Grants | undefined {
  if (typeof declared !== 'string') {
    if (declared.where === undefined) return undefined;
    const where = declaredExpression(declared.where, 'condition', context.scope, report, [...path, 'where']);
    return where === undefined ? undefined : [{ kind: 'where', where, text: declared.where }];
  }
  if (declared === 'anybody' || declared === 'nobody') return [{ kind: declared }];
  if (context.identity === undefined) {
    // Told once for each model: every grant of it says the same.
    if (context.told.has('no-identity')) return undefined;
    context.told.add('no-identity');
    const message = `nobody signs in to this service, so the grant \`${declared}\` can not be held`;
    report.error(
      'no-identity',
      message,
      'declare an identity in vantfell.yaml; or take anybody, nobody or where',
      path,
    );
    return undefined;
  }
  if (declared === 'signed-in') return SIGNED_IN;
  if (declared === 'verified') {
    if (context.identity.codes?.verify !== undefined) return [{ kind: 'verified' }];
    const remedy = 'declare codes that prove addresses: identity: { codes: { verify: 24h } }';
    report.error('unknown-grant', 'nobody proves an address to this service', remedy, path);
    return undefined;
  }
  if (declared === 'owner') {
    if (context.owner !== undefined) return [{ kind: 'owner' }];
    const remedy = `write owner: and the path of relations from ${model.name} to its owner`;
    report.error('no-owner', `a ${model.name} has no owner`, remedy, path);
    return undefined;
  }
  if (declared.startsWith('role:')) return roleGrant(declared.slice('role:'.length), path, context.identity, report);
  return pathGrant(declared, path, model, context, report);
}

function roleGrant(role: string, path: Path, identity: Identity, report: Reporter): Grants | undefined {
  return isRole(role, path, identity, report) ? [{ kind: 'role', role }] : undefined;
}

/** Whether somebody may have a role; reports it where nobody may. */
export function isRole(role: string, path: Path, identity: Identity, report: Reporter): boolean {
  if (identity.roles === undefined) {
    const remedy = 'name the field with the roles in vantfell.yaml: identity: { roles: roles }';
    report.error('no-roles', `the identity has no roles, so nobody has the role ${role}`, remedy, path);
    return false;
  }
  if (identity.roleNames !== undefined && !identity.roleNames.includes(role)) {
    const remedy = didYouMean(role, identity.roleNames);
    report.error('unknown-role', `there is no role ${role}`, remedy, path);
    return false;
  }
  return true;
}

const WORDS = ['anybody', 'signed-in', 'verified', 'owner', 'nobody'];

function pathGrant(
  declared: string,
  path: Path,
  model: Skeleton,
  { skeletons, identity }: GrantContext,
  report: Reporter,
): Grants | undefined {
  let told = false;
  const found = relationPath(model, declared, skeletons, (_code, message) => {
    told = true;
    const known = [
      ...WORDS,
      ...model.relations.map(({ name }) => name),
      ...(identity?.roleNames ?? []).map((role) => `role:${role}`),
    ];
    report.error('unknown-grant', `\`${declared}\` is no grant: ${message}`, didYouMean(declared, known), path);
  });
  if (found === undefined || told) return undefined;
  if (found.end.name !== identity?.model) {
    const message = `this path ends at ${found.end.name}; a grant is for a ${identity?.model}`;
    report.error('grant-elsewhere', message, `name a path that ends at ${identity?.model}`, path);
    return undefined;
  }
  return [{ kind: 'path', path: found.steps }];
}

function refuseStrangers(may: MayDeclaration, { operations }: GrantContext, report: Reporter): void {
  const known = [...verbs, 'fields', 'set', ...operations.map(({ name }) => name)];
  for (const name of Object.keys(may)) {
    if (known.includes(name)) continue;
    const message = `\`${name}\` is neither a verb nor an operation`;
    report.error('unknown-verb', message, didYouMean(name, known), [name], 'key');
  }
}
