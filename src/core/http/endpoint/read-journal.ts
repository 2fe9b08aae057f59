import { authorize, authorizeRecord, refusedOn, unknownRecord } from '../../access/authorization.ts';
import { mayBoth } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import { journalParameters } from '../../api/parameters.ts';
import { hasLives } from '../../change/journal.ts';
import type { EvaluationContext } from '../../expression/context.ts';
import { fieldExpression } from '../../expression/property.ts';
import { constant, plain } from '../../model/expression.ts';
import type { Expression } from '../../model/expression.ts';
import type { Field } from '../../model/field.ts';
import type { Model } from '../../model/model.ts';
import type { Binder } from '../../sql/parameters.ts';
import { keyFromText } from '../request/key.ts';
import type { EndpointContext } from './context.ts';
import { journalLines } from './journal-lines.ts';
import { journalModel } from './journal-model.ts';
import { makeListAnswerer } from './read-list.ts';
import type { Tagged } from './tagged.ts';

const TEXT = plain('text');

/**
 * The journal of a model, or of one record where its key is given: the latest first, in pages like those of any list.
 */
export function makeJournalReader(
  model: Model,
  context: EndpointContext,
): (principal: Principal, path: string, query: string, keyText?: string) => Promise<Tagged> {
  const journal = journalModel(context.graph);
  const [ofModel, ofRecord] = ['model', 'record'].map((member) => journal.byMember.get(member)!) as [Field, Field];
  const answer = makeListAnswerer(journal, context);
  const lines = journalLines(model, journal, context);

  return async (principal, path, query, keyText) => {
    const { permissions } = principal;
    const always = [{ field: ofModel, values: [model.name] }];
    const more = journalParameters;
    const finish = lines.finisher(principal);
    if (keyText === undefined) {
      authorize(permissions, model, 'read');
      authorize(permissions, model, 'journal');
      const isOpen = mayBoth(permissions, model, 'journal') === true;
      const extra = isOpen
        ? undefined
        : (parameters: Binder<EvaluationContext>) => lines.condition(permissions, parameters);
      return answer(principal, path, query, { condition: true, always, extra, more }, finish);
    }
    authorizeRecord(permissions, model, 'journal');
    const key = keyFromText(model.key, keyText);
    // A deleted record keeps its journal, under the grants of its last state.
    const state = await lines.stateOf(principal, key);
    if (state?.read !== true) throw unknownRecord(permissions, model);
    if (!state.journal) throw refusedOn(permissions, model, 'journal');
    const ofOne = [...always, { field: ofRecord, values: [String(key)] }];
    if (!hasLives(model)) return answer(principal, path, query, { condition: true, always: ofOne, more }, finish);
    // Another record may have had the key before: its history is not for readers of this one.
    const begin = await lines.lifeBefore(key, state.isHere);
    // The table has it as a text, whatever it looks like.
    const [left, right] = [{ ...fieldExpression(journal.key), type: TEXT }, constant(begin, TEXT)];
    const isLater: Expression = { op: '>', left, right, type: plain('boolean') };
    const condition = begin === '' ? true : isLater;
    return answer(principal, path, query, { condition, always: ofOne, differs: begin, more }, finish);
  };
}
