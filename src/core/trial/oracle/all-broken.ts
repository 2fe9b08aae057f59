import { MOST_FAILURES, pointerTo } from '../../api/failure.ts';
import { evaluate } from '../../expression/evaluate.ts';
import type { Verb } from '../../model/access.ts';
import type { Expression } from '../../model/expression.ts';
import { childrenOf, manysOf, needs } from '../../model/expression.ts';
import type { Model } from '../../model/model.ts';
import { linkedOf } from '../../model/related.ts';
import { isSame } from '../../model/value.ts';
import { isVerified, ITSELF } from './grants.ts';
import type { Asked, Values } from './read-body.ts';
import type { Broken } from './read-value.ts';
import { defaultsOf, makeDefaults, readChange } from './read-change.ts';
import { brokenRules, Refusal } from './refusal.ts';
import type { Row } from './world-state.ts';
import {
  dependsOnLinks,
  authorizeGiven,
  authorizeOwner,
  lockFor,
  ruleAt,
  setsOf,
  takenBy,
  unknownRecords,
} from './write.ts';
import type { Writing } from './writing.ts';

/** A refused write, with all that is wrong with its body: what cannot be found is left out. */
export function wholly(error: unknown, find: (known: readonly Broken[]) => readonly Broken[]): unknown {
  if (!(error instanceof Refusal) || error.errors === undefined) return error;
  if (error.problem !== 'invalid-body' && error.problem !== 'taken') return error;
  const { errors: known, one } = error;
  if (known.length === 0 || known.length >= MOST_FAILURES) return error;
  let all = known;
  try {
    all = [...known, ...find(known)];
  } catch (other) {
    if (!(other instanceof Refusal)) throw other;
  }
  return all.some(({ rule }) => rule !== 'unique') ? brokenRules(all) : new Refusal('taken', all, one);
}

/** All that is wrong with a new record besides what is known. `earlier` are those of the same body before it. */
export function brokenNew(
  writing: Writing,
  model: Model,
  given: Values,
  known: readonly Broken[],
  earlier: readonly Values[] = [],
): Broken[] {
  const defaults = defaultsOf(model, writing.moment);
  const values: Values = { ...defaults, ...given };
  const secrets = model.fields.filter(({ type }) => type === 'secret').map(({ member }) => member);
  const wrong = new Set([...secrets, ...wrongOf(known)]);
  const sound = Object.fromEntries(Object.entries(values).filter(([member]) => !wrong.has(member)));
  const missing = wrongOf(unknownRecords(writing, model, {}, sound));
  const { broken: unmade, left } = makeDefaults(writing, model, values, given, new Set([...wrong, ...missing]));
  const found = brokenDraft(
    writing,
    model,
    { values, given: values, before: {}, record: undefined },
    [...known, ...unmade],
    (usable) => {
      authorizeOwner(writing, model, 'create', usable, {});
      authorizeGiven(writing, model, given, usable, defaults);
      return mayWrite(writing, model, 'create', usable);
    },
    left,
  );
  const others = [...unmade, ...found].filter((one) => !isOfBody(model, one, values, earlier));
  const unusable = new Set(wrongOf([...known, ...others]));
  const repeated = setsOf(model)
    .filter((set) => !set.some(({ member }) => unusable.has(member) || (values[member] ?? null) === null))
    .filter((set) => earlier.some((other) => set.every(({ member }) => isSame(other[member], values[member]))));
  return [...others, ...repeated.map((set) => ({ pointer: pointerTo(set.at(-1)!.member), rule: 'unique' }))];
}

/** The same of a change. */
export function brokenChange(
  writing: Writing,
  model: Model,
  how: 'replace' | 'update',
  key: Row[string],
  guard: (row: Row) => void,
  read: (seen: Values) => Asked,
  known: readonly Broken[],
): Broken[] {
  const found = lockFor(writing, model, how, key);
  guard(found.record);
  const { values, set, broken } = readChange(writing, model, how, found, read(found.seen));
  const draft = { values, given: set, before: found.seen, record: found.record };
  const all = [...known, ...broken];
  const others = brokenDraft(writing, model, draft, all, (usable) => {
    authorizeOwner(writing, model, how, { ...found.record, ...usable }, found.record);
    return mayWrite(writing, model, how, usable);
  });
  return [...broken, ...others];
}

interface Draft {
  readonly values: Values;
  readonly given: Values;
  readonly before: Values;
  readonly record: Row | undefined;
}

/** Rules across members of which nothing is wrong; and for those who may write such a record, what is taken. */
function brokenDraft(
  writing: Writing,
  model: Model,
  { values, given, before, record }: Draft,
  known: readonly Broken[],
  may: (usable: Values) => boolean,
  left: ReadonlySet<string> = new Set(),
): Broken[] {
  const { oracle, who, moment, state } = writing;
  if (known.some(({ pointer, rule }) => pointer === '' && ['type', 'minItems', 'maxItems'].includes(rule))) return [];
  const secret = model.fields.filter(({ type }) => type === 'secret').map(({ member }) => member);
  const unusable = new Set([...secret, ...left, ...wrongOf(known)]);
  const usable = (all: Values): Values =>
    Object.fromEntries(Object.entries(all).filter(([member]) => !unusable.has(member)));
  const own = model.rules.filter(({ check, ownValues }) => ownValues && !needs(check, unusable));
  const broken = own
    .filter(({ check }) => evaluate(check, { values: usable(values), ...moment }) === false)
    .map(ruleAt);
  broken.push(...unknownRecords(writing, model, before, usable(given)));
  for (const member of wrongOf(broken)) unusable.add(member);
  const row = usable(values);
  if (!isAllowed(() => may(row))) return broken;
  const onward = model.rules
    .filter(({ check, ownValues }) => !ownValues && isOnward(check, model) && !needs(check, unusable))
    .filter(({ check }) => oracle.valueOf(check, model, row, who) === false);
  return [...broken, ...takenBy(state, model, record, row), ...onward.map(ruleAt)];
}

function mayWrite(
  { oracle, who }: Writing,
  model: Model,
  act: 'create' | 'replace' | 'update',
  values: Values,
): boolean {
  const grants = model.access.verbs[act];
  if (grants.some(dependsOnLinks)) return false;
  return holdForAny(oracle, model, act, who) || oracle.holds(grants, model, values, who);
}

/** Whether grants hold whichever record it is, also for a part whose parent is missing. */
function holdForAny(oracle: Writing['oracle'], model: Model, verb: Verb, who: Writing['who']): boolean {
  if (who === ITSELF) return true;
  return model.access.verbs[verb].some((grant) => {
    if (grant.kind === 'anybody') return true;
    if (grant.kind === 'signed-in') return who !== null;
    if (grant.kind === 'role') return who?.roles.includes(grant.role) === true;
    if (grant.kind === 'verified') return isVerified(who);
    return grant.kind === 'parent' && holdForAny(oracle, oracle.models.get(model.parent!.target)!, grant.verb, who);
  });
}

function isAllowed(may: () => boolean): boolean {
  try {
    return may();
  } catch (error) {
    if (error instanceof Refusal) return false;
    throw error;
  }
}

/** The members of which something is wrong by themselves. */
const wrongOf = (broken: readonly Broken[]): string[] =>
  broken.filter(({ rule }) => rule !== 'check' && rule !== 'unique').map(({ pointer }) => pointer.split('/')[1] ?? '');

/** Whether an expression asks other records along relations only, and none of its own model. */
function isOnward(expression: Expression, model: Model): boolean {
  if (manysOf(expression).length > 0) return false;
  if (expression.op === 'at' && ('source' in expression.step || expression.target === model.name)) return false;
  return childrenOf(expression).every((child) => isOnward(child, model));
}

/** Whether a record that is missing is one of those before it in the same body. */
function isOfBody(model: Model, { rule, pointer }: Broken, values: Values, earlier: readonly Values[]): boolean {
  if (rule !== 'unknown-record') return false;
  const [member = '', at] = pointer.split('/').slice(1);
  const relation = model.relations.find(({ field }) => field.member === member);
  const target = relation?.target ?? linkedOf(model).find((links) => links.member === member)?.target;
  const key = at === undefined ? values[member] : (values[member] as Values[string][])[Number(at)];
  return target === model.name && earlier.some((other) => isSame(other[model.key.member], key));
}
