import { admit, admitTo, refusedOn, unknownRecord } from '../../access/authorization.ts';
import type { Asker } from '../../access/principal.ts';
import { mayBoth } from '../../access/sight.ts';
import type { Reply } from '../../api/message.ts';
import { hasLives } from '../../change/journal.ts';
import { fieldExpression } from '../../expression/property.ts';
import { constant, plain } from '../../model/expression.ts';
import type { Expression } from '../../model/expression.ts';
import type { Field } from '../../model/field.ts';
import type { Model } from '../../model/model.ts';
import { keyFromText } from '../request/key.ts';
import type { Serving } from './context.ts';
import { journalLines } from './journal-lines.ts';
import { journalModel } from './journal-model.ts';
import { makeListAnswerer } from './read-list.ts';

const TEXT = plain('text');

/**
 * The journal of a model, or of one record where its key is given: the latest first, in pages like those of any list.
 */
export function makeJournalReader(
  model: Model,
  serving: Serving,
): (asker: Asker, path: string, query: string, keyText?: string) => Promise<Reply> {
  const journal = journalModel(serving.graph);
  const [ofModel, ofRecord] = ['model', 'record'].map((member) => journal.byMember.get(member)!) as [Field, Field];
  const answer = makeListAnswerer(journal, serving);
  const lines = journalLines(model, journal, serving);

  return async (asker, path, query, keyText) => {
    const { sight } = asker;
    const always = [{ field: ofModel, values: [model.name] }];
    const finish = lines.finisher(asker);
    if (keyText === undefined) {
      admit(sight, model, 'read');
      admit(sight, model, 'journal');
      const extra = mayBoth(sight, model, 'journal') === true ? undefined : lines.condition(sight);
      return answer(asker, path, query, { condition: true, always, extra }, finish);
    }
    admitTo(sight, model, 'journal');
    const key = keyFromText(model.key, keyText);
    // A deleted record keeps its journal, under the grants of its last state.
    const state = await lines.stateOf(asker, key);
    if (state?.read !== true) throw unknownRecord(sight, model);
    if (!state.journal) throw refusedOn(sight, model, 'journal');
    const ofOne = [...always, { field: ofRecord, values: [String(key)] }];
    if (!hasLives(model)) return answer(asker, path, query, { condition: true, always: ofOne }, finish);
    // Another record may have had the key before: what was done to that one is not for those who read this one.
    const begin = await lines.lifeBefore(key, state.isHere);
    // The table has it as a text, whatever it looks like.
    const [left, right] = [{ ...fieldExpression(journal.key), type: TEXT }, constant(begin, TEXT)];
    const isLater: Expression = { op: '>', left, right, type: plain('boolean') };
    const condition = begin === '' ? true : isLater;
    return answer(asker, path, query, { condition, always: ofOne, differs: begin }, finish);
  };
}
