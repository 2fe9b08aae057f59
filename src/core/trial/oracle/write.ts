import { pointerTo } from '../../api/failure.ts';
import type { EvaluationContext } from '../../expression/context.ts';
import { evaluate } from '../../expression/evaluate.ts';
import type { Verb } from '../../model/access.ts';
import type { Expression } from '../../model/expression.ts';
import { childrenOf } from '../../model/expression.ts';
import type { Field } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import { linkedOf, ownerField } from '../../model/related.ts';
import type { Relation } from '../../model/relation.ts';
import type { FieldValue, Scalar } from '../../model/scalar.ts';
import { canonical, isSame } from '../../model/value.ts';
import { isRecord } from '../../text/value.ts';
import { inOrder, ITSELF, oracleOf } from './grants.ts';
import type { Oracle, Who } from './grants.ts';
import { takes } from './read-body.ts';
import type { Asked, Values } from './read-body.ts';
import { readValue } from './read-value.ts';
import type { Broken } from './read-value.ts';
import { brokenRules, Refusal, refusedOn, signIn, unknownRecord } from './refusal.ts';
import { note } from './remove.ts';
import { fillSlugs } from './slugs.ts';
import { moveStocks } from './move-stocks.ts';
import { keyTextOf } from './world-state.ts';
import type { Row, WorldState } from './world-state.ts';

/** What a write works on: a world of its own, and who writes at what time. */
export interface Writing {
  readonly state: WorldState;
  readonly oracle: Oracle;
  readonly who: Who;
  readonly moment: EvaluationContext;
}

export function writingOn(state: WorldState, who: Who, now: Date): Writing {
  const caller = who === ITSELF ? null : who;
  return { state, oracle: oracleOf(state.graph, state, () => now), who, moment: { now, caller } };
}

/** Makes a record, and returns what is stored of it. The key is a stand-in where the service makes it. */
export function create(writing: Writing, model: Model, given: Values, standIn: () => Scalar): Row {
  const { state, oracle, who, moment } = writing;
  const defaults = defaultsOf(model, moment);
  const values: Values = { ...defaults, ...given };
  if (model.keyKind !== 'field') values[model.key.member] = standIn();
  if (model.stamps) {
    values.created_at ??= moment.now.toISOString();
    values.updated_at ??= moment.now.toISOString();
  }
  fillSlugs(state, model, values);
  checkDraft(writing, model, values, {}, values);
  arrange(model, values);
  if (who !== ITSELF) {
    authorizeOwner(writing, model, 'create', values, {});
    authorizeGiven(writing, model, given, values, defaults);
  }
  const grants = model.access.verbs.create;
  if (!grants.some(asksForLinks) && !oracle.holds(grants, model, values, who))
    throw refusedOn(oracle, grants, model, who);
  moveStocks(state, model, undefined, values, moment);
  store(writing, model, undefined, values, 'create');
  return values;
}

/** What a write finds of the record that it changes. */
interface Found {
  readonly record: Row;
  /** As the caller reads it. */
  readonly seen: Values;
  sets(member: string): boolean;
}

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
  const { record, seen, sets } = found;
  if (asked.broken.length > 0) throw brokenRules(asked.broken);
  const { stock, repeated } = stockIn(model, asked, sets);
  refuseRepeated(repeated, seen);
  refuseDerived(writing, model, record, asked);
  const defaults = how === 'update' ? {} : clearedByReplace(model, defaultsOf(model, moment));
  const wanted = settable(writing, { ...asked.values, ...merged(asked, seen), ...stock }, found);
  const set = { ...defaults, ...wanted };
  const values: Values = { ...record, ...keepHidden(model, set, wanted, found) };
  const missing = model.fields.filter(
    ({ rules, member, type }) =>
      rules.required && !rules.readOnly && type !== 'secret' && (values[member] ?? null) === null,
  );
  if (missing.length > 0)
    throw brokenRules(missing.map(({ member }) => ({ pointer: pointerTo(member), rule: 'required' })));
  if (isUnchanged(model, values, record) && !isMore(model, wanted, seen)) return record;
  checkDraft(writing, model, values, seen, set);
  arrange(model, values);
  if (who !== ITSELF) authorizeOwner(writing, model, how, values, record);
  const grants = model.access.verbs[how];
  if (!grants.some(asksForLinks) && !oracle.holds(grants, model, values, who))
    throw refusedOn(oracle, grants, model, who);
  if (model.stamps && isSame(values.updated_at, record.updated_at)) values.updated_at = moment.now.toISOString();
  moveStocks(state, model, record, values, moment);
  store(writing, model, record, values, how);
  const { identity } = state.graph;
  const isCaller = identity?.model === model.name && identity.secret !== undefined;
  if (isCaller && Object.hasOwn(set, identity.secret.member)) state.endTokens(record[model.key.member]!);
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
  if (grants.some(asksForLinks) && !oracle.holds(grants, model, values, who))
    throw refusedOn(oracle, grants, model, who);
  if (model.journal) note(state, model, values, before === undefined ? 'create' : 'update', moment);
}

const ruleAt = ({ at }: Model['rules'][number]): Broken => ({
  pointer: at === undefined ? '' : pointerTo(at),
  rule: 'check',
});

/** The unique sets of which another record has the same values. */
export function takenBy(
  state: Pick<WorldState, 'allOf'>,
  model: Model,
  before: Row | undefined,
  values: Row,
): Broken[] {
  const key = model.key.member;
  const sets = model.keyKind === 'field' && before === undefined ? [...model.unique, [model.key]] : model.unique;
  const others = state.allOf(model.name).filter((other) => before === undefined || other[key] !== before[key]);
  return sets
    .filter(
      (set) =>
        set.every(({ member }) => (values[member] ?? null) !== null) &&
        others.some((other) => set.every(({ member }) => isSame(other[member], values[member]))),
    )
    .map((set) => ({ pointer: pointerTo(set.at(-1)!.member), rule: 'unique' }));
}

/** What a new record has where nothing is given. */
export function defaultsOf(model: Model, moment: EvaluationContext): Values {
  const constants = model.fields.map(({ member, rules }): [string, FieldValue] => [member, rules.default ?? null]);
  const links = linkedOf(model).map(({ member }): [string, FieldValue] => [member, []]);
  const computed = [...model.defaults].map(([member, expression]): [string, FieldValue] => [
    member,
    evaluate(expression, { values: {}, ...moment }),
  ]);
  return Object.fromEntries([...constants, ...links, ...computed]);
}

function clearedByReplace(model: Model, defaults: Values): Values {
  const members = model.fields
    .filter((field) => takes(field, 'replace') && !field.rules.writeOnly)
    .filter((field) => field !== model.key && field.derivedFrom === undefined && field.origin !== 'stamp')
    .map(({ member }): [string, FieldValue] => [member, defaults[member] ?? null]);
  return Object.fromEntries([...members, ...linkedOf(model).map(({ member }): [string, FieldValue] => [member, []])]);
}

/** Links are kept in the order in which they are shown. */
function arrange(model: Model, values: Values): void {
  for (const { member } of linkedOf(model)) values[member] = inOrder((values[member] ?? []) as FieldValue[]);
}

const keysIn = (values: Row, member: string): readonly FieldValue[] => (values[member] ?? []) as readonly FieldValue[];

/** Rules over the record's own values, and relations to records that are not there for this caller. */
function checkDraft(writing: Writing, model: Model, values: Values, before: Values, given: Values): void {
  const { moment } = writing;
  const broken = model.rules
    .filter(({ check, ownValues }) => ownValues && evaluate(check, { values, ...moment }) === false)
    .map(ruleAt);
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
  if (broken.length > 0) throw brokenRules(broken);
}

function isThere({ state, oracle, who }: Writing, target: string, key: FieldValue): boolean {
  const row = state.byKey(target, key);
  return row !== undefined && oracle.may(modelOf(state.graph, target), 'read', row, who);
}

/** Nobody becomes the owner of others' records, or gives theirs away, unless a role lets them. */
function authorizeOwner(writing: Writing, model: Model, act: Verb, values: Row, before: Row): void {
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
function authorizeGiven({ oracle, who }: Writing, model: Model, given: Values, draft: Row, defaults: Values): void {
  const closed = Object.keys(given).filter((member) => {
    const grants = model.access.set.get(member);
    if (grants === undefined || grants.some(({ kind }) => kind === 'maker')) return false;
    return !isSame(given[member], defaults[member]) && !oracle.holds(grants, model, draft, who);
  });
  refuseSetting(oracle, who, closed);
}

function refuseSetting(oracle: Oracle, who: Who, members: readonly string[]): void {
  if (members.length === 0) return;
  throw who === null && oracle.hasIdentity ? signIn() : new Refusal('not-allowed');
}

/** Stock is set by name where a grant says so. */
function stockIn(
  model: Model,
  { repeated }: Asked,
  sets: Found['sets'],
): { stock: Values; repeated: Asked['repeated'] } {
  const stock: Values = {};
  const others = new Map<Field, unknown>();
  const broken: Broken[] = [];
  for (const [field, value] of repeated) {
    if (field.drawnOn === true && model.access.set.has(field.member) && sets(field.member))
      stock[field.member] = readValue(field, value, pointerTo(field.member), broken);
    else others.set(field, value);
  }
  if (broken.length > 0) throw brokenRules(broken);
  return { stock, repeated: others };
}

/** What may not be changed may be sent back as it was read. */
function refuseRepeated(repeated: Asked['repeated'], seen: Row): void {
  const broken: Broken[] = [];
  for (const [field, given] of repeated) {
    const read = given === null ? { value: null } : canonical(field, given);
    if ('value' in read && isSame(read.value, seen[field.member] ?? null)) continue;
    const pointer = pointerTo(field.member);
    if (field.origin === 'stamp') throw new Refusal('moved-on', [{ pointer, rule: 'stamp' }]);
    if (field.drawnOn === true) throw new Refusal('moved-on', [{ pointer, rule: 'drawn-on' }]);
    broken.push({ pointer, rule: field.rules.readOnly ? 'readOnly' : 'immutable' });
  }
  if (broken.length > 0) throw brokenRules(broken);
}

/** The same of computed values, of which only the service's own reading is predicted. */
function refuseDerived({ oracle, who }: Writing, model: Model, record: Row, { derived }: Asked): void {
  const broken: Broken[] = [];
  for (const [member, given] of derived) {
    const computed = model.computed.find((one) => one.member === member);
    const value = computed === undefined ? undefined : oracle.valueOf(computed.value, model, record, who);
    if (!isSame(given as FieldValue, value)) broken.push({ pointer: pointerTo(member), rule: 'readOnly' });
  }
  if (broken.length > 0) throw brokenRules(broken);
}

function settable({ oracle, who }: Writing, asked: Values, { seen, sets }: Found): Values {
  const closed = Object.keys(asked).filter((member) => !sets(member));
  refuseSetting(
    oracle,
    who,
    closed.filter((member) => !Object.hasOwn(seen, member) || !isSame(asked[member], seen[member])),
  );
  return Object.fromEntries(Object.entries(asked).filter(([member]) => !closed.includes(member)));
}

/** The values to set, without those that the caller can't mean because they are hidden from it. */
function keepHidden(model: Model, set: Values, wanted: Values, { record, seen, sets }: Found): Values {
  const kept: Values = {};
  for (const [member, value] of Object.entries(set)) {
    const field = model.byMember.get(member);
    const isLeftOut = !Object.hasOwn(wanted, member);
    if (isLeftOut && (field === undefined ? false : field === ownerField(model))) continue;
    if (isLeftOut && (!Object.hasOwn(seen, member) || !sets(member))) continue;
    const isHidden = (seen[member] ?? null) === null && (record[member] ?? null) !== null;
    if (field?.origin === 'relation' && value === null && isHidden) continue;
    kept[member] = field === undefined ? joined(member, value, seen, record) : value;
  }
  return kept;
}

/** The keys that somebody wants to link, and those that are hidden from them. */
function joined(member: string, value: FieldValue, seen: Row, record: Row): FieldValue {
  const hidden = keysIn(record, member).filter((key) => !keysIn(seen, member).includes(key));
  return [...new Set([...((value ?? []) as FieldValue[]), ...hidden])];
}

const hasSameLinks = (model: Model, one: Row, other: Row): boolean =>
  linkedOf(model).every(({ member }) => isSame(inOrder(keysIn(one, member)), inOrder(keysIn(other, member))));

const isUnchanged = (model: Model, values: Row, record: Row): boolean =>
  model.fields.every(({ member }) => isSame(values[member] ?? null, record[member] ?? null)) &&
  hasSameLinks(model, values, record);

const isMore = (model: Model, wanted: Values, seen: Row): boolean =>
  !hasSameLinks(model, { ...seen, ...wanted }, seen) ||
  Object.keys(wanted).some((name) => model.byMember.has(name) && !isSame(wanted[name], seen[name] ?? null));

/** Objects with the patches of a body in them (RFC 7396). */
function merged({ patches }: Asked, seen: Row): Values {
  const values: Values = {};
  const broken: Broken[] = [];
  for (const [field, patch] of patches) {
    const { member } = field;
    values[member] = readValue(field, mergedWith(seen[member], patch), pointerTo(member), broken);
  }
  if (broken.length > 0) throw brokenRules(broken);
  return values;
}

function mergedWith(target: unknown, patch: unknown): unknown {
  if (!isRecord(patch)) return patch;
  const result = new Map<string, unknown>(isRecord(target) ? Object.entries(target) : []);
  for (const [name, value] of Object.entries(patch)) {
    if (value === null) result.delete(name);
    else result.set(name, mergedWith(result.get(name), value));
  }
  return Object.fromEntries(result);
}

/** Whether a grant depends on the links of a record, which are written after its row. */
function asksForLinks(grant: Model['access']['verbs']['create'][number]): boolean {
  return grant.kind === 'where' && usesLinks(grant.where);
}

function usesLinks(expression: Expression): boolean {
  const many = 'many' in expression ? [expression.many] : [];
  const lists = 'left' in expression ? [expression.left, expression.right] : [];
  const all = [...many, ...lists.flatMap((list) => ('kind' in list && list.kind === 'many' ? [list.many] : []))];
  return all.some(({ of, via }) => of.op !== 'at' && 'table' in via) || childrenOf(expression).some(usesLinks);
}
