import { authorize, refusedOn, unknownRecord, Unsure } from './refusal.ts';
import { keyOf } from './asking.ts';
import type { AskedEndpoint, Prediction } from './asking.ts';

/** Who may read a journal; its lines are compared at the end of a walk, and by cases of their own. */
export function journalPrediction({ model, writing, key: keyText }: AskedEndpoint): Prediction {
  const { oracle, state, who } = writing;
  const { read, journal } = model.access.verbs;
  const could = oracle.could(read, model, who);
  if (keyText === undefined) {
    authorize(oracle, read, model, who);
    authorize(oracle, journal, model, who);
    return { status: 200, reason: '', faults: () => [], after: () => state };
  }
  authorize(oracle, journal, model, who);
  if (!could) throw unknownRecord(oracle, model, who);
  const row = state.byKey(model.name, keyOf(model, keyText));
  if (row === undefined) throw new Unsure('a deleted record keeps its journal');
  if (!oracle.may(model, 'read', row, who)) throw unknownRecord(oracle, model, who);
  if (!oracle.holds(journal, model, row, who)) throw refusedOn(oracle, journal, model, who);
  return { status: 200, reason: '', faults: () => [], after: () => state };
}
