import { asksForLinks } from '../../access/viewer.ts';
import { pointerTo } from '../../api/failure.ts';
import { evaluate } from '../../expression/evaluate.ts';
import type { Verb } from '../../model/access.ts';
import { needs } from '../../model/expression.ts';
import type { Field } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import { keyOfValues } from '../../model/joined-key.ts';
import type { Model } from '../../model/model.ts';
import { linkedOf, ownerField } from '../../model/related.ts';
import type { Relation } from '../../model/relation.ts';
import type { FieldValue, Scalar } from '../../model/scalar.ts';
import { restamp, stampsIn } from '../../model/stamps.ts';
import { isSame } from '../../model/value.ts';
import { inOrder, ITSELF, oracleOf } from './grants.ts';
import type { Oracle, Who } from './grants.ts';
import type { Asked, Values } from './read-body.ts';
import {
  defaultsOf,
  hasSameLinks,
  isLeftOpen,
  keysIn,
  makeDefaults,
  readChange,
  refuseSetting,
} from './read-change.ts';
import type { Found } from './read-change.ts';
import type { Broken } from './read-value.ts';
import { brokenRules, Refusal, refusedOn, signIn, unknownRecord } from './refusal.ts';
import { note } from './remove.ts';
import { fillSlugs } from './slugs.ts';
import { moveStocks } from './move-stocks.ts';
import { keyTextOf } from './world-state.ts';
import type { Row, WorldState } from './world-state.ts';
import type { Writing } from './writing.ts';

/** Makes a record, and returns what is stored of it. The key is a stand-in where the service makes it. */
export function create(writing: Writing, model: Model, given: Values, standIn: () => Scalar): Row {
  const { state, oracle, who, moment } = writing;
  const defaults = defaultsOf(model, moment);
  const values: Values = { ...defaults, ...given };
  if (model.keyKind !== 'field') values[model.key.member] = keyAmong(model, values) ?? standIn();
  for (const stamp of stampsIn(model.stamps)) values[stamp.member] ??= moment.now.toISOString();
  const open = new Set(
    model.madeDefaults.filter(({ field }) => isLeftOpen(field, given)).map(({ field }) => field.member),
  );
  if (open.size > 0) {
    checkDraft(writing, model, values, {}, values, open);
    const { broken } = makeDefaults(writing, model, values, given);
    if (broken.length > 0) throw brokenRules(broken);
  }
  fillSlugs(state, model, values, open);
  values[model.key.member] = keyAmong(model, values) ?? values[model.key.member]!;
  checkDraft(writing, model, values, {}, values);
  arrange(model, values);
  if (who !== ITSELF) {
    authorizeOwner(writing, model, 'create', values, {});
    authorizeGiven(writing, model, given, values, defaults);
  }
  const grants = model.access.verbs.create;
  if (!grants.some(dependsOnLinks) && !oracle.holds(grants, model, values, who))
    throw refusedOn(oracle, grants, model, who);
  moveStocks(state, model, undefined, values, moment);
  store(writing, model, undefined, values, 'create');
  return values;
}

/** The key of a record where several of its fields make it. */
const keyAmong = ({ key }: Model, values: Values): Scalar | undefined =>
  key.parts === undefined ? undefined : keyOfValues(key, values);

/** The record that somebody wants to change or delete, or the refusal. */
export function lockFor({ state, oracle, who }: Writing, model: Model, verb: Verb, key: FieldValue): Found {
  const record = state.byKey(model.name, key);
  if (record === undefined || !oracle.may(model, 'read', record, who)) throw unknownRecord(oracle, model, who);
  const grants = model.access.verbs[verb];
  if (!oracle.holds(grants, model, record, who)) throw refusedOn(oracle, grants, model, who);
  const seen: Values = {};
  for (const { member, rules } of [...model.fields, ...linksAsFields(model)]) {
    if (rules?.writeOnly === true) continue;
    const value = oracle.seen(model, member, record, who);
    if (value !== undefined) seen[member] = value;
  }
  const sets = (member: string): boolean => {
    const set = model.access.set.get(member);
    return set === undefined || oracle.holds(set, model, record, who);
  };
  return { record, seen, sets };
}

const linksAsFields = (model: Model): { readonly member: string; readonly rules?: Field['rules'] }[] => linkedOf(model);

/** Changes a record, and returns what is stored of it then. */
export function change(writing: Writing, model: Model, how: 'replace' | 'update', found: Found, asked: Asked): Row {
  const { state, oracle, who, moment } = writing;
  const { record, seen } = found;
  const { values, set, isMore, broken } = readChange(writing, model, how, found, asked);
  if (broken.length > 0) throw brokenRules(broken);
  if (isUnchanged(model, values, record) && !isMore) return record;
  checkDraft(writing, model, values, seen, set);
  arrange(model, values);
  if (who !== ITSELF) authorizeOwner(writing, model, how, values, record);
  const grants = model.access.verbs[how];
  if (!grants.some(dependsOnLinks) && !oracle.holds(grants, model, values, who))
    throw refusedOn(oracle, grants, model, who);
  restamp(model, values, record, moment.now);
  moveStocks(state, model, record, values, moment);
  store(writing, model, record, values, how);
  const { identity } = state.graph;
  const secret = identity?.model === model.name ? identity.secret?.member : undefined;
  // A secret that is set is another hash, even of the same text.
  if (secret !== undefined && Object.hasOwn(set, secret) && (set[secret] ?? record[secret] ?? null) !== null)
    state.endTokens(record[model.key.member]!);
  return values;
}

/** Everything after the checks of a draft: unique sets, the record itself, and the rules along relations. */
function store(
  writing: Writing,
  model: Model,
  before: Row | undefined,
  values: Row,
  act: 'create' | 'replace' | 'update',
) {
  const { state, who, moment } = writing;
  const taken = takenBy(state, model, before, values);
  if (taken.length > 0) throw new Refusal('taken', taken, true);
  state.put(model, values);
  const oracle = oracleOf(state.graph, state, () => moment.now);
  const broken = model.rules
    .filter(({ check, ownValues }) => !ownValues && oracle.valueOf(check, model, values, who) === false)
    .map(ruleAt);
  if (broken.length > 0) throw brokenRules(broken);
  const grants = model.access.verbs[act];
  if (grants.some(dependsOnLinks) && !oracle.holds(grants, model, values, who))
    throw refusedOn(oracle, grants, model, who);
  if (model.journal) note(state, model, values, before === undefined ? 'create' : 'update', moment);
}

export const ruleAt = ({ at }: Model['rules'][number]): Broken => ({
  pointer: at === undefined ? '' : pointerTo(at),
  rule: 'check',
});

/** The members whose values no two records may have in common; a key that clients give is one of a new record. */
export const setsOf = ({ keyKind, unique, key }: Model): readonly (readonly Field[])[] =>
  keyKind === 'field' ? [...unique, [key]] : unique;

/** The unique sets of which another record has the same values. */
export function takenBy(
  state: Pick<WorldState, 'allOf'>,
  model: Model,
  before: Row | undefined,
  values: Row,
): Broken[] {
  const key = model.key.member;
  const sets = before === undefined ? setsOf(model) : model.unique;
  const others = state.allOf(model.name).filter((other) => before === undefined || other[key] !== before[key]);
  return sets
    .filter(
      (set) =>
        set.every(({ member }) => (values[member] ?? null) !== null) &&
        others.some((other) => set.every(({ member }) => isSame(other[member], values[member]))),
    )
    .map((set) => ({ pointer: pointerTo(set.at(-1)!.member), rule: 'unique' }));
}

const isUnchanged = (model: Model, values: Row, record: Row): boolean =>
  model.fields.every(({ member }) => isSame(values[member] ?? null, record[member] ?? null)) &&
  hasSameLinks(model, values, record);

/** Links are kept in the order in which they are shown. */
function arrange(model: Model, values: Values): void {
  for (const { member } of linkedOf(model)) values[member] = inOrder((values[member] ?? []) as FieldValue[]);
}

/** Rules over the record's own values, and relations to records that are not there for this caller. */
function checkDraft(
  writing: Writing,
  model: Model,
  values: Values,
  before: Values,
  given: Values,
  unknown: ReadonlySet<string> = new Set(),
): void {
  const { moment } = writing;
  const broken = model.rules
    .filter(({ check, ownValues }) => ownValues && !needs(check, unknown))
    .filter(({ check }) => evaluate(check, { values, ...moment }) === false)
    .map(ruleAt);
  broken.push(...unknownRecords(writing, model, before, given));
  if (broken.length > 0) throw brokenRules(broken);
}

/** Relations to records that are not there for this caller. */
export function unknownRecords(writing: Writing, model: Model, before: Values, given: Values): Broken[] {
  const broken: Broken[] = [];
  for (const relation of model.relations) {
    const { member } = relation.field;
    const key = given[member] ?? null;
    if (key === null || key === before[member]) continue;
    if (!isThere(writing, relation.target, key)) broken.push({ pointer: pointerTo(member), rule: 'unknown-record' });
  }
  for (const links of linkedOf(model)) {
    const old = keysIn(before, links.member);
    keysIn(given, links.member).forEach((key, at) => {
      if (!old.includes(key) && !isThere(writing, links.target, key))
        broken.push({ pointer: pointerTo(links.member, at), rule: 'unknown-record' });
    });
  }
  return broken;
}

function isThere({ state, oracle, who }: Writing, target: string, key: FieldValue): boolean {
  const row = state.byKey(target, key);
  return row !== undefined && oracle.may(modelOf(state.graph, target), 'read', row, who);
}

/** Nobody becomes the owner of others' records, or gives theirs away, unless a role lets them. */
export function authorizeOwner(writing: Writing, model: Model, act: Verb, values: Row, before: Row): void {
  const { oracle, who } = writing;
  const first = model.owner?.[0];
  if (who === ITSELF || first === undefined || hasRole(oracle, model, act, who)) return;
  const { member } = first.field;
  const value = values[member] ?? null;
  const refuse = (): Refusal => (who === null ? signIn() : new Refusal('not-allowed'));
  if (act === 'create') {
    if (ownerField(model) === undefined || value === null) return;
    if (who !== null && keyTextOf(value) === keyTextOf(who.key)) return;
    throw refuse();
  }
  if (isSame(value, before[member] ?? null)) return;
  const ownerBehind = (key: FieldValue): string => keyTextOf(ownerAt(writing, model.owner!, key));
  if (ownerBehind(value) !== ownerBehind(before[member] ?? null)) throw refuse();
}

function ownerAt({ state }: Writing, path: readonly Relation[], key: FieldValue): FieldValue {
  const [first, ...rest] = path;
  let [at, target] = [key, first!.target];
  for (const step of rest) {
    at = state.byKey(target, at)?.[step.field.member] ?? null;
    target = step.target;
  }
  return at;
}

function hasRole(oracle: Oracle, model: Model, act: Verb, who: Who): boolean {
  return model.access.verbs[act].some((grant) => {
    if (grant.kind === 'role') return who !== ITSELF && who?.roles.includes(grant.role) === true;
    return grant.kind === 'parent' && hasRole(oracle, oracle.models.get(model.parent!.target)!, grant.verb, who);
  });
}

/** Members of a new record that are for others to set. */
export function authorizeGiven(
  { oracle, who }: Writing,
  model: Model,
  given: Values,
  draft: Row,
  defaults: Values,
): void {
  const closed = Object.keys(given).filter((member) => {
    const grants = model.access.set.get(member);
    if (grants === undefined || grants.some(({ kind }) => kind === 'maker')) return false;
    return !isSame(given[member], defaults[member]) && !oracle.holds(grants, model, draft, who);
  });
  refuseSetting(oracle, who, closed);
}

/** Whether a grant depends on the links of a record, which are written after its row. */
export function dependsOnLinks(grant: Model['access']['verbs']['create'][number]): boolean {
  return grant.kind === 'where' && asksForLinks(grant.where);
}
