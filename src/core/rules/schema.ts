import { mixed, object, ValidationError } from 'yup';
import type { AnySchema } from 'yup';
import { MOST_FAILURES, pointerOfPath, pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import type { ClientKind } from '../api/media-types.ts';
import { noRules, USUAL_ITEMS } from '../model/field.ts';
import type { Field, ValueSpec } from '../model/field.ts';
import type { Model } from '../model/model.ts';
import { derivedNames, linkedOf, ownerField } from '../model/related.ts';
import type { Links } from '../model/relation.ts';
import type { FieldValue } from '../model/scalar.ts';
import { isWritten } from '../model/types.ts';
import { canonical } from '../model/value.ts';
import { nearest } from '../text/nearest.ts';
import { own } from '../text/own.ts';
import { describe, isRecord, quoted } from '../text/value.ts';
import { worded } from './message.ts';
import { testsOf } from './tests.ts';
import type { RuleTest } from './tests.ts';

/**
 * The writes of a client; and those with the service's own authority, which may set everything: `load` makes a record,
 * and `amend` changes some of its members.
 */
export type WriteKind = ClientKind | 'load' | 'amend';
export type Values = Record<string, FieldValue>;

/** A body that was read: the values that it sets, and those that it repeats of members that it may not change. */
export interface ReadBody {
  readonly values: Values;
  /** Members that a client may send back as they were read, but not change. */
  readonly repeated: ReadonlyMap<Field, unknown>;
  /** The same of what is worked out from other values, by name. */
  readonly derived: ReadonlyMap<string, unknown>;
  /** Objects of an update, to be merged into the stored ones (RFC 7396). */
  readonly patches: ReadonlyMap<Field, unknown>;
  readonly failures: readonly Failure[];
}

/** A body that the service itself writes. */
export const ownBody = (values: Values): ReadBody => ({
  values,
  repeated: new Map(),
  derived: new Map(),
  patches: new Map(),
  failures: [],
});

/** Where objects are given `whole`, they take the place of those that stand, and are not merged into them. */
export type BodyReader = (body: unknown, whole?: boolean) => ReadBody;

/** Whether a client may give this member a value in a write of this kind. */
export function isSettable(field: Field, kind: WriteKind): boolean {
  if (kind === 'load') return true;
  if (kind === 'amend') return field.origin !== 'key';
  if (field.rules.readOnly) return false;
  return kind === 'create' || !(field.rules.immutable || field.drawnOn === true);
}

/** What the keys of a many-to-many relation may be, where a body gives them. */
export const linkSpec = ({ key }: Links): ValueSpec => ({
  type: 'array',
  scale: 0,
  items: { ...key, rules: noRules },
  examples: [],
  rules: { ...noRules, required: true, uniqueItems: true, maxItems: USUAL_ITEMS },
});

/**
 * What a client may leave out, or give as null, because it may be hidden from them: what becomes of it is seen with
 * the record.
 */
export interface Unseen {
  mayLeaveOut(field: Field): boolean;
  mayBeNull(field: Field): boolean;
}

const seesAll: Unseen = { mayLeaveOut: () => false, mayBeNull: () => false };

const optional = (field: Field): Field => ({ ...field, rules: { ...field.rules, required: false } });

/**
 * Compiles the rules of a model to a Yup schema for one kind of write. What comes of it reads a parsed JSON body:
 * blanks and letters are changed first, then every failure is found in one go.
 */
export function bodyReader(model: Model, kind: WriteKind, unseen: Unseen = seesAll): BodyReader {
  const settable = model.fields.filter((field) => isSettable(field, kind));
  const isAsked = (field: Field): boolean => isNeeded(field, kind, model) && !unseen.mayLeaveOut(field);
  const links = new Map(linkedOf(model).map((one) => [one.member, linkSpec(one)]));
  const brokenRulesOf = rulesChecker([
    ...settable.map((field): Member => [
      field.member,
      unseen.mayBeNull(field) ? optional(field) : field,
      isAsked(field),
    ]),
    ...[...links].map(([member, spec]): Member => [member, spec, false]),
  ]);
  const insides = [...settable, ...[...links].map(([member, spec]) => ({ ...spec, member }))].flatMap((field) => {
    const check = insideChecker(field);
    return check === undefined ? [] : [[field, check] as const];
  });
  const names = [...model.byMember.keys(), ...links.keys()];
  const isOwn = kind === 'load' || kind === 'amend';
  const derivable = new Set(isOwn ? [] : derivedNames(model));

  return (body, whole = false) => {
    const repeated = new Map<Field, unknown>();
    const derived = new Map<string, unknown>();
    const patches = new Map<Field, unknown>();
    if (!isRecord(body)) {
      const detail = `must be an object with the members of ${model.name}, got ${describe(body)}`;
      return { values: {}, repeated, derived, patches, failures: [{ pointer: '', rule: 'type', detail }] };
    }
    const failures: Failure[] = [];
    const values: Values = {};
    for (const [member, value] of Object.entries(body)) {
      if (failures.length > MOST_FAILURES) break;
      const field = model.byMember.get(member);
      const linked = links.get(member);
      if (linked !== undefined) values[member] = prepared(linked, value, pointerTo(member), failures);
      else if (field === undefined && derivable.has(member)) derived.set(member, value);
      else if (field === undefined) failures.push(unknownMember(pointerTo(member), member, names));
      else if (!isSettable(field, kind)) repeated.set(field, value);
      else if (kind === 'update' && !whole && isMerged(field) && isRecord(value)) patches.set(field, value);
      else values[member] = prepared(field, value, pointerTo(member), failures);
    }
    if (failures.length <= MOST_FAILURES) {
      failures.push(...brokenRulesOf(values));
      for (const [field, check] of insides) {
        const value = own(values, field.member) ?? null;
        if (value !== null) check(value, pointerTo(field.member), failures);
      }
    }
    return { values, repeated, derived, patches, failures };
  };
}

/** Whether an update merges a patch into this member, instead of putting the new value in its place. */
export const isMerged = (field: Field): boolean => field.type === 'object' || field.type === 'json';

/** Whether nothing takes the place of a value that is left out. */
export const mustBeGiven = ({ rules }: Pick<ValueSpec, 'rules'>): boolean => rules.required && !rules.hasDefault;

/** Whether a write must give this member a value. */
export function isNeeded(field: Field, kind: WriteKind, model: Pick<Model, 'owner'>): boolean {
  const { rules, derivedFrom, drawnOn = false } = field;
  // A client's own records have an owner without their saying so.
  if ((kind === 'create' || kind === 'replace') && field === ownerField(model)) return false;
  if (kind === 'replace' && drawnOn) return false;
  if (kind === 'update' || kind === 'amend' || rules.readOnly || derivedFrom !== undefined) return false;
  if (kind === 'replace' && rules.writeOnly) return false;
  return mustBeGiven(field);
}

/** Reads one value of a declared kind, as the member at `pointer` of some body. */
export function valueReader(
  spec: ValueSpec,
  pointer: string,
): (value: unknown) => { value: FieldValue; failures: Failure[] } {
  const brokenRulesOf = rulesChecker([['value', spec, spec.rules.required]]);
  const checkInside = insideChecker(spec);
  return (given) => {
    const failures: Failure[] = [];
    const value = prepared(spec, given, pointer, failures);
    const broken = brokenRulesOf({ value });
    const placed = broken.map((failure) => ({ ...failure, pointer: pointer + failure.pointer.slice('/value'.length) }));
    failures.push(...placed);
    if (value !== null && value !== undefined) checkInside?.(value, pointer, failures);
    return { value, failures };
  };
}

/** A member, the rules of its values, and whether one must be given. */
type Member = readonly [member: string, spec: ValueSpec, needed: boolean];

/**
 * What is wrong with the values of members. Most bodies have nothing wrong: Yup, which finds and words every failure,
 * is asked about the others only.
 */
function rulesChecker(members: readonly Member[]): (values: Values) => Failure[] {
  const sound = members.map(([member, spec, needed]) => [member, soundness(spec, needed)] as const);
  let schema: AnySchema | undefined;
  return (values) => {
    if (sound.every(([member, isSound]) => isSound(own(values, member)))) return [];
    schema ??= object(Object.fromEntries(members.map(([member, spec, needed]) => [member, valueSchema(spec, needed)])));
    return failuresBy(schema, values);
  };
}

/** Tells whether a value breaks none of its own rules; its inside is for `insideChecker`. */
function soundness(spec: ValueSpec, needed: boolean): (value: FieldValue | undefined) => boolean {
  const tests = testsOf(spec);
  const hasType = isOfType(spec);
  return (value) => {
    if (value === undefined) return !needed;
    if (value === null) return !spec.rules.required;
    return hasType(value) && tests.every((one) => one.holds(value));
  };
}

function failuresBy(schema: AnySchema, values: Values): Failure[] {
  try {
    schema.validateSync(values, { strict: true, abortEarly: false, disableStackTrace: true });
    return [];
  } catch (error) {
    if (!ValidationError.isError(error)) throw error;
    const each = error.inner.length > 0 ? error.inner : [error];
    // Yup carries whatever a message function gives, so each failure travels whole in its message.
    return each.map((one) => one.message as unknown as Failure);
  }
}

/**
 * A value in its one form, blanks and letters changed and defaults filled in, as deep as it goes. One of a wrong type
 * is left as it is, for the schema to refuse; unknown members of an object are reported here.
 */
function prepared(spec: ValueSpec, value: unknown, pointer: string, failures: Failure[]): FieldValue {
  if (value === null) return null;
  if (spec.type === 'array' && Array.isArray(value)) {
    // One that is much too long is refused, whatever its content.
    if (isTooLong(spec, value)) return value as FieldValue;
    return value.map((item, at) => prepared(spec.items!, item, `${pointer}/${at}`, failures));
  }
  if (spec.type === 'object' && isRecord(value)) return preparedObject(spec, value, pointer, failures);
  const read = canonical(spec, changed(spec, value));
  return 'value' in read ? read.value : (value as FieldValue);
}

function preparedObject(
  spec: ValueSpec,
  value: Readonly<Record<string, unknown>>,
  pointer: string,
  failures: Failure[],
): FieldValue {
  const properties = spec.properties!;
  for (const member of Object.keys(value)) {
    if (properties.has(member)) continue;
    if (failures.length > MOST_FAILURES) break;
    failures.push(unknownMember(pointer + pointerTo(member), member, [...properties.keys()]));
  }
  // In the order of the declaration, so that alike objects are the same text.
  const members: [string, FieldValue][] = [];
  for (const [name, property] of properties) {
    if (Object.hasOwn(value, name))
      members.push([name, prepared(property, value[name], pointer + pointerTo(name), failures)]);
    else if (property.rules.default !== undefined) members.push([name, property.rules.default]);
  }
  return Object.fromEntries(members);
}

/** What a client sends of a text before it is checked: blanks cut off, letters brought to one case. */
function changed({ rules }: ValueSpec, value: unknown): unknown {
  if (typeof value !== 'string') return value;
  const text = rules.trim ? value.trim() : value;
  if (rules.letters === 'lower') return text.toLowerCase();
  return rules.letters === 'upper' ? text.toUpperCase() : text;
}

/** A value, and the pointer to it. */
interface Given {
  readonly path: string;
  readonly value: unknown;
}

/** What a value of the right type can still break, with what to say of it; and what to say where its type is wrong. */
interface Judged {
  readonly tests: readonly RuleTest[];
  missing(given: Given): Failure;
  wrongType(given: Given): Failure;
  broken(test: RuleTest, given: Given): Failure;
}

function judged(spec: ValueSpec): Judged {
  const missing = ({ path, value }: Given): Failure =>
    failure(spec, path, 'required', value === null ? 'must not be null' : 'must be given');
  return {
    tests: testsOf(spec),
    missing,
    wrongType({ path, value }) {
      const read = canonical(spec, value);
      if (!('fault' in read)) return missing({ path, value });
      const { rule, detail } = read.fault;
      return failure(spec, path, rule, spec.rules.writeOnly ? detail.replace(/, got [^]*$/, '') : detail);
    },
    broken({ rule, says, limit, got }, { path, value }) {
      const its =
        got === undefined || spec.rules.writeOnly ? `got ${shown(spec, value)}` : got(value as NonNullable<FieldValue>);
      return {
        ...failure(spec, path, rule, rule === 'required' ? says : `${says}, ${its}`),
        ...(limit === undefined ? {} : { [rule]: limit }),
      };
    },
  };
}

/** The Yup schema of a value; its inside is for `insideChecker`. */
function valueSchema(spec: ValueSpec, needed: boolean): AnySchema {
  const { tests, missing, wrongType, broken } = judged(spec);
  let schema = mixed({ type: spec.type, check: isOfType(spec) }).typeError(asYup(wrongType)) as AnySchema;
  schema = (spec.rules.required ? schema.nonNullable(asYup(missing)) : schema.nullable()) as AnySchema;
  if (needed) schema = schema.defined(asYup(missing)) as AnySchema;

  for (const one of tests) {
    const test = (value: unknown): boolean => one.holds(value as NonNullable<FieldValue>);
    schema = schema.test({
      name: one.rule,
      skipAbsent: true,
      message: asYup((given) => broken(one, given)),
      test,
    });
  }
  return schema;
}

/** Yup names a place in its own way (`points[0].ra`). */
const asYup =
  (tell: (given: Given) => Failure) =>
  ({ path, value }: Given): Failure =>
    tell({ path: pointerOfPath(path), value });

const isOfType = (spec: ValueSpec): ((value: unknown) => value is NonNullable<FieldValue>) => {
  // The inside is checked separately.
  if (spec.type === 'array') return (value): value is NonNullable<FieldValue> => Array.isArray(value);
  if (spec.type === 'object') return (value): value is NonNullable<FieldValue> => isRecord(value);
  return (value): value is NonNullable<FieldValue> => 'value' in canonical(spec, value);
};

const isTooLong = ({ rules }: ValueSpec, { length }: readonly unknown[]): boolean =>
  length > Math.max(USUAL_ITEMS, rules.maxItems ?? 0);

/** Adds what is wrong inside of a value. */
type InsideChecker = (value: FieldValue, pointer: string, failures: Failure[]) => void;

/**
 * Looks into lists and objects, at any depth, and stops where enough is wrong: Yup would look at all of it, and a body
 * can hold hundreds of thousands of values. Undefined for what has no inside.
 */
function insideChecker(spec: ValueSpec): InsideChecker | undefined {
  if (spec.type === 'array') {
    // An item is never null: a list of values has no use for holes.
    const items = spec.items!;
    const check = wholeChecker({ ...items, rules: { ...items.rules, required: true } }, true);
    return (value, pointer, failures) => {
      if (!Array.isArray(value) || isTooLong(spec, value)) return;
      for (const [at, item] of (value as FieldValue[]).entries()) {
        if (failures.length > MOST_FAILURES) return;
        check(item, pointer, at, failures);
      }
    };
  }
  if (spec.type === 'object') {
    const members = [...spec.properties!].map(([name, property]) => {
      const isNeeded = property.rules.required && property.rules.default === undefined;
      return [name, wholeChecker(property, isNeeded)] as const;
    });
    return (value, pointer, failures) => {
      if (!isRecord(value)) return;
      for (const [name, check] of members) check(value[name], pointer, name, failures);
    };
  }
  return undefined;
}

/** The same for a value inside of another, and for its own inside. */
function wholeChecker(
  spec: ValueSpec,
  needed: boolean,
): (value: FieldValue | undefined, within: string, step: string | number, failures: Failure[]) => void {
  const { tests, missing, wrongType, broken } = judged(spec);
  const hasType = isOfType(spec);
  const inside = insideChecker(spec);
  return (value, within, step, failures) => {
    const given = (): Given => ({ path: within + pointerTo(step), value });
    if (value === undefined) {
      if (needed) failures.push(missing(given()));
    } else if (value === null) {
      if (spec.rules.required) failures.push(missing(given()));
    } else if (!hasType(value)) failures.push(wrongType(given()));
    else {
      for (const one of tests) if (!one.holds(value)) failures.push(broken(one, given()));
      inside?.(value, within + pointerTo(step), failures);
    }
  };
}

/** What was got, in few words: the length of a long text says more than its beginning, and a secret is not shown. */
function shown(spec: ValueSpec, value: unknown): string {
  if (spec.rules.writeOnly) return 'another value';
  if (isWritten(spec.type) && typeof value === 'string' && value.length > 40) return `${[...value].length} characters`;
  if (Array.isArray(value)) return `${value.length}`;
  return quoted(value);
}

const failure = (spec: ValueSpec, pointer: string, rule: string, detail: string): Failure => ({
  pointer,
  rule,
  detail: worded(spec, rule, detail),
});

function unknownMember(pointer: string, member: string, names: readonly string[]): Failure {
  const guess = nearest(member, names);
  const detail = guess === undefined ? 'no such field' : `no such field; did you mean ${guess}?`;
  return { pointer, rule: 'unknown', detail };
}
