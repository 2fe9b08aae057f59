import { pointerTo } from '../../api/failure.ts';
import type { EvaluationContext } from '../../expression/context.ts';
import { evaluate } from '../../expression/evaluate.ts';
import { needs } from '../../model/expression.ts';
import type { Field } from '../../model/field.ts';
import type { Model } from '../../model/model.ts';
import { linkedOf, ownerField } from '../../model/related.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { canonical, isSame } from '../../model/value.ts';
import { isRecord } from '../../text/value.ts';
import { inOrder } from './grants.ts';
import type { Oracle, Who } from './grants.ts';
import { takes } from './read-body.ts';
import type { Asked, Values } from './read-body.ts';
import { readValue } from './read-value.ts';
import type { Broken } from './read-value.ts';
import { brokenRules, Refusal, signIn } from './refusal.ts';
import type { Row } from './world-state.ts';
import type { Writing } from './writing.ts';

/** What a write finds of the record that it changes. */
export interface Found {
  readonly record: Row;
  /** As the caller reads it. */
  readonly seen: Values;
  sets(member: string): boolean;
}

/** What a body makes of a record. */
interface Change {
  readonly values: Values;
  /** What the body sets, and what a replacement clears. */
  readonly set: Values;
  /** Whether it asks for anything but what its sender sees. */
  readonly isMore: boolean;
  readonly broken: readonly Broken[];
}

export const keysIn = (values: Row, member: string): readonly FieldValue[] =>
  (values[member] ?? []) as readonly FieldValue[];

/** Reads what a body makes of a record, with all that is wrong with it. */
export function readChange(
  writing: Writing,
  model: Model,
  how: 'replace' | 'update',
  found: Found,
  asked: Asked,
): Change {
  const { record, seen, sets } = found;
  const broken = [...asked.broken];
  const { stock, repeated } = stockIn(model, asked, sets, broken);
  broken.push(...repeatedBroken(repeated, seen), ...derivedBroken(writing, model, record, asked));
  const all = { ...asked.values, ...merged(asked, seen, broken), ...stock };
  const defaults = how === 'update' ? {} : clearedByReplace(model, defaultsOf(model, writing.moment));
  const wanted = settable(writing, all, found, broken);
  const set = { ...defaults, ...wanted };
  const values: Values = { ...record, ...keepHidden(model, set, wanted, found) };
  for (const { rules, member, type } of model.fields) {
    const pointer = pointerTo(member);
    if (!rules.required || rules.readOnly || type === 'secret' || (values[member] ?? null) !== null) continue;
    if (!broken.some((one) => one.pointer === pointer)) broken.push({ pointer, rule: 'required' });
  }
  return { values, set, isMore: isMore(model, wanted, seen), broken };
}

/** Stock is set by name where a grant says so. */
function stockIn(
  model: Model,
  { repeated }: Asked,
  sets: Found['sets'],
  broken: Broken[],
): { stock: Values; repeated: Asked['repeated'] } {
  const stock: Values = {};
  const others = new Map<Field, unknown>();
  for (const [field, value] of repeated) {
    if (field.drawnOn === true && model.access.set.has(field.member) && sets(field.member))
      stock[field.member] = readValue(field, value, pointerTo(field.member), broken);
    else others.set(field, value);
  }
  return { stock, repeated: others };
}

/** What may not be changed may be sent back as it was read. */
function repeatedBroken(repeated: Asked['repeated'], seen: Row): Broken[] {
  const broken: Broken[] = [];
  for (const [field, given] of repeated) {
    const read = given === null ? { value: null } : canonical(field, given);
    if ('value' in read && isSame(read.value, seen[field.member] ?? null)) continue;
    const pointer = pointerTo(field.member);
    if (field.origin === 'stamp') throw new Refusal('moved-on', [{ pointer, rule: 'stamp' }]);
    if (field.drawnOn === true) throw new Refusal('moved-on', [{ pointer, rule: 'drawn-on' }]);
    broken.push({ pointer, rule: field.rules.readOnly ? 'readOnly' : 'immutable' });
  }
  return broken;
}

/** The same of computed values, of which only the service's own reading is predicted. */
function derivedBroken({ oracle, who }: Writing, model: Model, record: Row, { derived }: Asked): Broken[] {
  const broken: Broken[] = [];
  for (const [member, given] of derived) {
    const computed = model.computed.find((one) => one.member === member);
    const value = computed === undefined ? undefined : oracle.valueOf(computed.value, model, record, who);
    if (!isSame(given as FieldValue, value)) broken.push({ pointer: pointerTo(member), rule: 'readOnly' });
  }
  return broken;
}

/** What is broken is told before what is not for somebody to set. */
function settable({ oracle, who }: Writing, asked: Values, { seen, sets }: Found, broken: Broken[]): Values {
  const closed = Object.keys(asked).filter((member) => !sets(member));
  const refused = closed.filter((member) => !Object.hasOwn(seen, member) || !isSame(asked[member], seen[member]));
  if (refused.length > 0 && broken.length > 0) throw brokenRules(broken);
  refuseSetting(oracle, who, refused);
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

/** Objects with the patches of a body in them (RFC 7396). */
function merged({ patches }: Asked, seen: Row, broken: Broken[]): Values {
  const values: Values = {};
  for (const [field, patch] of patches) {
    const { member } = field;
    values[member] = readValue(field, mergedWith(seen[member], patch), pointerTo(member), broken);
  }
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

export const hasSameLinks = (model: Model, one: Row, other: Row): boolean =>
  linkedOf(model).every(({ member }) => isSame(inOrder(keysIn(one, member)), inOrder(keysIn(other, member))));

const isMore = (model: Model, wanted: Values, seen: Row): boolean =>
  !hasSameLinks(model, { ...seen, ...wanted }, seen) ||
  Object.keys(wanted).some((name) => model.byMember.has(name) && !isSame(wanted[name], seen[name] ?? null));

export function refuseSetting(oracle: Oracle, who: Who, members: readonly string[]): void {
  if (members.length === 0) return;
  throw who === null && oracle.hasIdentity ? signIn() : new Refusal('not-allowed');
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

/** Whether a value is worked out: of a slug, in the place of null too. */
export const isLeftOpen = ({ member, derivedFrom }: Field, given: Values): boolean =>
  given[member] === undefined || (derivedFrom !== undefined && given[member] === null);

/** Works out what absent members of a new record become, from its other values; what is wrong with them. */
export function makeDefaults(
  { oracle, who }: Writing,
  model: Model,
  values: Values,
  given: Values,
  unknown: ReadonlySet<string> = new Set(),
): { readonly broken: Broken[]; readonly left: ReadonlySet<string> } {
  const broken: Broken[] = [];
  const lost = new Set(unknown);
  for (const { field, value } of model.madeDefaults) {
    const { member } = field;
    if (!isLeftOpen(field, given) || unknown.has(member)) continue;
    if (needs(value, lost)) {
      lost.add(member);
      continue;
    }
    const before = broken.length;
    const made = oracle.valueOf(value, model, values, who);
    if (field.derivedFrom !== undefined) values[member] = made;
    else if (made !== null) values[member] = readValue(field, made, pointerTo(member), broken);
    else if (field.rules.required) broken.push({ pointer: pointerTo(member), rule: 'required' });
    if (broken.length > before) lost.add(member);
  }
  return { broken, left: new Set([...lost].filter((member) => !unknown.has(member))) };
}

function clearedByReplace(model: Model, defaults: Values): Values {
  const members = model.fields
    .filter((field) => takes(field, 'replace') && !field.rules.writeOnly)
    .filter((field) => field !== model.key && field.derivedFrom === undefined && field.origin !== 'stamp')
    .filter((field) => !model.madeDefaults.some((made) => made.field === field))
    .map(({ member }): [string, FieldValue] => [member, defaults[member] ?? null]);
  return Object.fromEntries([...members, ...linkedOf(model).map(({ member }): [string, FieldValue] => [member, []])]);
}
