import { pointerTo } from '../../api/failure.ts';
import { MOST_AT_ONCE } from '../../api/limits.ts';
import type { Model } from '../../model/model.ts';
import { ownerField } from '../../model/related.ts';
import type { Scalar } from '../../model/scalar.ts';
import { isKeyMade } from '../../model/stamps.ts';
import { isRecord } from '../../text/value.ts';
import type { Answer, Fault } from '../answer.ts';
import { faultOf } from '../judge.ts';
import { brokenNew, wholly } from './all-broken.ts';
import { dataIn, keyOf, parentOf, refuseQuery } from './asking.ts';
import type { AskedEndpoint, Prediction, PredictorParts } from './asking.ts';
import { ITSELF } from './grants.ts';
import { readBody } from './read-body.ts';
import type { Values } from './read-body.ts';
import { authorize, brokenRules, Refusal } from './refusal.ts';
import { isAlike, shownFaults } from './shown.ts';
import { isSlugOf } from './slugs.ts';
import { learnTag } from './tags.ts';
import type { Row, WorldState } from './world-state.ts';
import { create } from './write.ts';
import { writingOn } from './writing.ts';
import type { Writing } from './writing.ts';

/** A record that is made, or many at once. */
export function created(parts: PredictorParts, asked: AskedEndpoint): Prediction {
  const { model, asking, writing } = asked;
  const { oracle, who, state } = writing;
  authorize(oracle, model.access.verbs.create, model, who);
  refuseQuery(asking);
  const given = parentOf(asked);
  const { body } = asking;
  const many = Array.isArray(body) ? (body as unknown[]) : undefined;
  if (many?.length === 0) throw brokenRules([{ pointer: '', rule: 'minItems' }]);
  if (many !== undefined && many.length > MOST_AT_ONCE) throw brokenRules([{ pointer: '', rule: 'maxItems' }]);
  const all = (many ?? [body]).map((one, at) =>
    readNew(writing, model, one, given, many === undefined ? '' : pointerTo(at)),
  );
  const before = writingOn(state.fork(), who, writing.moment.now);
  const rows = wholeOr(before, model, all, many !== undefined, () => {
    const broken = all.flatMap((one) => one.broken);
    if (broken.length > 0) throw brokenRules(broken);
    return all.map(({ values }, at) =>
      many === undefined
        ? create(writing, model, values, () => standIn(model, state, at))
        : placed(at, () => create(writing, model, values, () => standIn(model, state, at))),
    );
  });
  return {
    status: 201,
    reason: '',
    faults: (answer) => createdFaults(writing, model, rows, answer, many !== undefined),
    after: (answer) => withKeys(parts, writing, model, rows, answer),
  };
}

/** Records that are made, or a refusal with all that is wrong with them in the world `before`. */
function wholeOr(
  before: Writing,
  model: Model,
  all: readonly { readonly values: Values }[],
  isMany: boolean,
  make: () => Row[],
): Row[] {
  try {
    return make();
  } catch (error) {
    throw wholly(error, (known) =>
      all.flatMap(({ values }, at) => {
        if (!isMany) return brokenNew(before, model, values, known);
        const place = pointerTo(at);
        const own = known
          .filter(({ pointer }) => pointer === place || pointer.startsWith(`${place}/`))
          .map((one) => ({ ...one, pointer: one.pointer.slice(place.length) }));
        const earlier = all.slice(0, at).map((one) => one.values);
        return brokenNew(before, model, values, own, earlier).map((one) => ({ ...one, pointer: place + one.pointer }));
      }),
    );
  }
}

/** A key that no record has, in the place of the one that the service makes. */
function standIn(model: Model, state: WorldState, at: number): Scalar {
  const number = state.allOf(model.name).length + at;
  if (model.keyKind === 'serial') return 8_000_000_000_000_000 + number;
  return `ffffffff-ffff-7fff-bfff-${String(number).padStart(12, '0')}`;
}

/** The failures of one record of many. */
function placed<Made>(at: number, make: () => Made): Made {
  try {
    return make();
  } catch (error) {
    if (!(error instanceof Refusal)) throw error;
    const errors = error.errors?.map((one) => ({ ...one, pointer: pointerTo(at) + one.pointer }));
    throw new Refusal(error.problem, errors, error.one);
  }
}

function readNew({ oracle, who }: Writing, model: Model, body: unknown, given: Values, prefix: string) {
  const owner = ownerField(model);
  const fill: Values = owner === undefined || who === null || who === ITSELF ? {} : { [owner.member]: who.key };
  const whole = isRecord(body) ? { ...fill, ...given, ...body } : body;
  const { values, repeated, derived, broken } = readBody(oracle, model, 'create', whole, who);
  const all = [...broken];
  for (const { member } of repeated.keys()) all.push({ pointer: pointerTo(member), rule: 'readOnly' });
  for (const member of derived.keys()) all.push({ pointer: pointerTo(member), rule: 'readOnly' });
  if (owner?.rules.required === true && isRecord(whole) && values[owner.member] === undefined)
    all.push({ pointer: pointerTo(owner.member), rule: 'required' });
  for (const [member, value] of Object.entries(given))
    if (values[member] !== value) all.push({ pointer: pointerTo(member), rule: 'immutable' });
  return { values, broken: all.map((one) => ({ ...one, pointer: prefix + one.pointer })) };
}

/** The records of an answer to one that makes some. */
const recordsIn = (answer: Answer): Row[] => [dataIn(answer) ?? []].flat() as Row[];

function createdFaults({ oracle, who }: Writing, model: Model, rows: readonly Row[], answer: Answer, isMany: boolean) {
  if (answer.headers['preference-applied'] === 'return=minimal') return [];
  const data = dataIn(answer);
  if (Array.isArray(data) !== isMany || recordsIn(answer).length !== rows.length)
    return [faultOf('the records that were made', rows.length, data)];
  const key = model.key.member;
  return recordsIn(answer).flatMap((shown, at): Fault[] => {
    const row = { ...rows[at]! };
    if (isKeyMade(model)) row[key] = shown[key] ?? null;
    adoptSlugs(model, row, shown);
    if (oracle.may(model, 'read', row, who)) return shownFaults(oracle, model, shown, row, who);
    return isAlike(shown, { [key]: row[key] }) ? [] : [faultOf('data', { [key]: row[key] }, shown)];
  });
}

/** Slugs that only the service knows exactly. */
function adoptSlugs(model: Model, row: Values, shown: Row): void {
  for (const { member } of model.fields) {
    if (isSlugOf(model, member, shown[member], row[member], row)) row[member] = shown[member]!;
  }
}

/** The world with the keys that the service made. */
function withKeys({ tags }: PredictorParts, writing: Writing, model: Model, rows: readonly Row[], answer: Answer) {
  const { state } = writing;
  const key = model.key.member;
  const shown = recordsIn(answer);
  const located = answer.headers.location?.split('/').at(-1);
  const found =
    shown.length > 0 || located === undefined ? shown : [{ [key]: keyOf(model, decodeURIComponent(located)) }];
  if (found.length !== rows.length) return undefined;
  rows.forEach((row, at) => {
    const made: Values = { ...row, [key]: found[at]![key]! };
    adoptSlugs(model, made, found[at]!);
    state.remove(model, row[key]!);
    state.put(model, made);
    state.relabel(model, row[key]!, made[key]!);
    if (rows.length === 1) learnTag(tags, made, answer);
  });
  return state;
}
