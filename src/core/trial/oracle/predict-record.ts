import { JSON_PATCH } from '../../api/media-types.ts';
import type { Verb } from '../../model/access.ts';
import type { Model } from '../../model/model.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { faultOf } from '../judge.ts';
import { brokenChange, wholly } from './all-broken.ts';
import { dataIn, keyOf, refuseQuery } from './asking.ts';
import type { AskedEndpoint, Asking, Prediction, PredictorParts } from './asking.ts';
import { patchedBody } from './patch.ts';
import { chosenRows } from './predict-list.ts';
import { readBody } from './read-body.ts';
import type { Asked, Values } from './read-body.ts';
import { authorize, brokenRules, Refusal, unknownRecord, Unsure } from './refusal.ts';
import { remove } from './remove.ts';
import { isAlike, shownFaults } from './shown.ts';
import { learnTag, stateIn, TAG } from './tags.ts';
import type { Row, WorldState } from './world-state.ts';
import { change, lockFor } from './write.ts';
import type { Writing } from './writing.ts';

/** 412 where If-Match names another state, 428 where it is missing and needed. */
function guardOf({ tags }: PredictorParts, model: Model, { headers }: Asking): (row: Row) => void {
  const given = headers['if-match'];
  if (given === undefined) {
    if (model.conditional) throw new Refusal('condition-required');
    return () => undefined;
  }
  return (row) => {
    if (given === '*') return;
    const known = tags.get(stateIn(given));
    if (known === undefined && TAG.test(given)) throw new Unsure('the state that If-Match names is not known');
    if (known !== JSON.stringify(row)) throw new Refusal('moved-on', undefined);
  };
}

/** Refuses what no record can allow, and records that can't be read. */
function authorizeRecord({ oracle, who }: Writing, model: Model, verb: Verb): void {
  authorize(oracle, model.access.verbs[verb], model, who);
  if (!oracle.could(model.access.verbs.read, model, who)) throw unknownRecord(oracle, model, who);
}

const typeOf = ({ headers }: Asking): string => headers['content-type']?.split(';')[0] ?? '';

/** A record that is changed or replaced. */
export function changed(
  parts: PredictorParts,
  { model, asking, writing, key: keyText }: AskedEndpoint,
  how: 'replace' | 'update',
) {
  const { oracle, who, state } = writing;
  authorizeRecord(writing, model, how);
  refuseQuery(asking);
  const key = keyOf(model, keyText!);
  const guard = guardOf(parts, model, asking);
  const isPatch = typeOf(asking) === JSON_PATCH;
  const asked = isPatch ? undefined : readBody(oracle, model, how, asking.body, who);
  const read = (seen: Values): Asked =>
    asked ?? readBody(oracle, model, how, patchedBody(model, seen, asking.body), who, true);
  let row: Row;
  try {
    if (asked !== undefined && asked.broken.length > 0) throw brokenRules(asked.broken);
    const found = lockFor(writing, model, how, key);
    guard(found.record);
    row = change(writing, model, how, found, read(found.seen));
  } catch (error) {
    throw wholly(error, (known) => brokenChange(writing, model, how, key, guard, read, known));
  }
  return shownPrediction(parts, writing, model, row, asking.headers.prefer === 'return=minimal' ? 204 : 200, state);
}

/** An answer with one record. */
function shownPrediction(
  { tags }: PredictorParts,
  { oracle, who }: Writing,
  model: Model,
  row: Row,
  status: number,
  after: WorldState,
): Prediction {
  return {
    status,
    reason: '',
    faults(answer) {
      if (status === 204) return [];
      const shown = (dataIn(answer) ?? {}) as Row;
      if (oracle.may(model, 'read', row, who)) return shownFaults(oracle, model, shown, row, who);
      const only = { [model.key.member]: row[model.key.member]! };
      return isAlike(shown, only) ? [] : [faultOf('data', only, shown)];
    },
    after(answer) {
      learnTag(tags, row, answer);
      return after;
    },
  };
}

/** A record that is deleted. */
export function deleted(parts: PredictorParts, { model, asking, writing, key: keyText }: AskedEndpoint): Prediction {
  const { state, moment } = writing;
  authorizeRecord(writing, model, 'delete');
  refuseQuery(asking);
  const key = keyOf(model, keyText!);
  const guard = guardOf(parts, model, asking);
  const { record } = lockFor(writing, model, 'delete', key);
  guard(record);
  remove(state, model, record, moment, parts.hooked);
  const isShown = asking.headers.prefer === 'return=representation';
  return { status: isShown ? 200 : 204, reason: '', faults: () => [], after: () => state };
}

/** Many records that are deleted at once. */
export function cleared(parts: PredictorParts, asked: AskedEndpoint): Prediction {
  const { model, writing } = asked;
  const { oracle, who, state, moment } = writing;
  const grants = model.access.verbs.clear;
  authorize(oracle, grants, model, who);
  const { rows, names } = chosenRows(asked);
  if (names === 0) throw new Refusal('invalid-parameter');
  const doomed = rows.filter((row) => oracle.holds(grants, model, row, who));
  let count = 0;
  for (const row of doomed) {
    const key = row[model.key.member] as FieldValue;
    if (state.byKey(model.name, key) === undefined) continue;
    remove(state, model, state.byKey(model.name, key)!, moment, parts.hooked);
    count += 1;
  }
  return {
    status: 200,
    reason: '',
    faults(answer) {
      const got = (dataIn(answer) as { deleted?: number } | undefined)?.deleted;
      return got === count ? [] : [faultOf('data.deleted', count, got)];
    },
    after: () => state,
  };
}

/** A record that is read. */
export function read(parts: PredictorParts, { model, asking, writing, key: keyText }: AskedEndpoint): Prediction {
  const { oracle, state, who } = writing;
  authorize(oracle, model.access.verbs.read, model, who);
  const row = state.byKey(model.name, keyOf(model, keyText!));
  if (asking.query !== '') throw new Unsure('the query chooses what is shown');
  if (row === undefined || !oracle.may(model, 'read', row, who)) throw unknownRecord(oracle, model, who);
  if (asking.headers['if-none-match'] !== undefined) throw new Unsure('If-None-Match names an answer');
  return shownPrediction(parts, writing, model, row, 200, state);
}
