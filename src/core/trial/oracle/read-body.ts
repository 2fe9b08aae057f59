import { pointerTo } from '../../api/failure.ts';
import { noRules, USUAL_ITEMS } from '../../model/field.ts';
import type { Field, ValueSpec } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import { derivedNames, linkedOf, ownerField } from '../../model/related.ts';
import type { Links } from '../../model/relation.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { isRecord } from '../../text/value.ts';
import type { Oracle, Who } from './grants.ts';
import { readValue } from './read-value.ts';
import type { Broken } from './read-value.ts';

export type Values = Record<string, FieldValue>;
export type BodyKind = 'create' | 'replace' | 'update';

/** What a body asks for. */
export interface Asked {
  readonly values: Values;
  /** Members that may not be changed, with what the body gives them. */
  readonly repeated: ReadonlyMap<Field, unknown>;
  /** The same of members that are computed. */
  readonly derived: ReadonlyMap<string, unknown>;
  /** Objects to be merged into those that are stored (RFC 7396). */
  readonly patches: ReadonlyMap<Field, unknown>;
  readonly broken: readonly Broken[];
}

/** Whether a client may give a member a value. */
export function takes({ rules, drawnOn }: Field, kind: BodyKind): boolean {
  if (rules.readOnly) return false;
  return kind === 'create' || (!rules.immutable && drawnOn !== true);
}

/** Whether a body of this kind must have a member. */
function mustHave(field: Field, kind: BodyKind, model: Model): boolean {
  const { rules, derivedFrom, drawnOn } = field;
  if (kind === 'update' || !rules.required || rules.hasDefault || rules.readOnly) return false;
  // The owner of a new record is its maker, and a replaced record keeps its owner.
  if (field === ownerField(model) || derivedFrom !== undefined) return false;
  return kind === 'create' || (drawnOn !== true && !rules.writeOnly);
}

const keysSpec = ({ key }: Links): ValueSpec => ({
  type: 'array',
  scale: 0,
  examples: [],
  items: { ...key, rules: noRules },
  rules: { ...noRules, required: true, uniqueItems: true, maxItems: USUAL_ITEMS },
});

/** What may be hidden from whoever sends a body, so that they can't send it back. */
interface Hidden {
  mayLeaveOut(field: Field): boolean;
  mayBeNull(field: Field): boolean;
}

const nothingHidden: Hidden = { mayLeaveOut: () => false, mayBeNull: () => false };

function hiddenFrom(oracle: Oracle, model: Model, who: Who): Hidden {
  const grantedAlways = (grants: Parameters<Oracle['always']>[0] | undefined): boolean =>
    grants === undefined || oracle.always(grants, model, who);
  const mayBeNull = ({ member }: Field): boolean => {
    const relation = model.relations.find(({ field }) => field.member === member);
    return relation !== undefined && !reachesAlways(oracle, model, relation, who);
  };
  return {
    mayBeNull,
    mayLeaveOut: (field) =>
      !grantedAlways(model.access.fields.get(field.member)) ||
      !grantedAlways(model.access.set.get(field.member)) ||
      mayBeNull(field),
  };
}

/** Whether the record behind a relation can be read, whatever it is. */
function reachesAlways(oracle: Oracle, model: Model, relation: Model['relations'][number], who: Who): boolean {
  if (relation === model.parent && model.access.verbs.read.every(({ kind }) => kind === 'parent')) return true;
  const target = modelOf({ byName: oracle.models }, relation.target);
  return oracle.always(target.access.verbs.read, target, who);
}

/** Reads a body that somebody sends. A `whole` one replaces objects, where an update merges them otherwise. */
export function readBody(oracle: Oracle, model: Model, kind: BodyKind, body: unknown, who: Who, whole = false): Asked {
  const [repeated, derived, patches] = [
    new Map<Field, unknown>(),
    new Map<string, unknown>(),
    new Map<Field, unknown>(),
  ];
  const broken: Broken[] = [];
  const values: Values = {};
  if (!isRecord(body)) return { values, repeated, derived, patches, broken: [{ pointer: '', rule: 'type' }] };
  const links = new Map(linkedOf(model).map((one) => [one.member, keysSpec(one)]));
  const hidden = kind === 'create' ? nothingHidden : hiddenFrom(oracle, model, who);
  const computed = new Set(derivedNames(model));
  for (const [member, given] of Object.entries(body)) {
    const field = model.byMember.get(member);
    const at = pointerTo(member);
    if (links.has(member)) values[member] = readValue(links.get(member)!, given, at, broken);
    else if (field === undefined && computed.has(member)) derived.set(member, given);
    else if (field === undefined) broken.push({ pointer: at, rule: 'unknown' });
    else if (!takes(field, kind)) repeated.set(field, given);
    else if (kind === 'update' && !whole && isMerged(field) && isRecord(given)) patches.set(field, given);
    else values[member] = readValue(hidden.mayBeNull(field) ? optional(field) : field, given, at, broken);
  }
  for (const field of model.fields) {
    const { member } = field;
    if (!takes(field, kind) || Object.hasOwn(body, member) || hidden.mayLeaveOut(field)) continue;
    if (mustHave(field, kind, model)) broken.push({ pointer: pointerTo(member), rule: 'required' });
  }
  return { values, repeated, derived, patches, broken };
}

const optional = (field: Field): Field => ({ ...field, rules: { ...field.rules, required: false } });

/** Whether an update merges an object into the one that is stored. */
export const isMerged = ({ type }: Field): boolean => type === 'object' || type === 'json';
