import type { Answer, Fault } from '../answer.ts';
import type { Step } from '../case.ts';
import { faultOf, sameAs } from '../judge.ts';
import { changeOf } from './writing-cases.ts';
import type { WritingCases } from './writing-cases.ts';

/** Who did what, in the order of it, with what was and what became. */
export function deriveJournal(derivation: WritingCases): void {
  const { make, has, model, at, ifMatch, add, collection } = derivation;
  const made = make();
  const change = has('update') ? changeOf(derivation, made) : undefined;
  const actions = [...(change === undefined ? [] : ['update']), 'create'];
  const check = (answer: Answer): readonly Fault[] => {
    const lines = (answer.body as { data: { action: string; changes: Record<string, { after?: unknown }> }[] }).data;
    const got = lines.map(({ action }) => action);
    if (got.join() !== actions.join()) return [faultOf('what was done, the latest first', actions, got)];
    if (change === undefined) return [];
    const [member, value] = Object.entries(change)[0]!;
    return model.byMember.get(member)?.rules.writeOnly === true
      ? []
      : sameAs(`what ${member} became`, value, lines[0]!.changes[member]?.after);
  };
  const changed: Step[] =
    change === undefined
      ? []
      : [{ method: 'PATCH', path: at(made.kept), body: change, ifMatch, expect: { status: 200 } }];
  add('journal', 'what is done to a record stands in its journal', made.steps, changed, {
    method: 'GET',
    path: `${at(made.kept)}/journal`,
    expect: { status: 200, check },
  });
  add('journal', 'the journal of all records is read', made.steps, {
    method: 'GET',
    path: `${collection}/journal`,
    expect: {
      status: 200,
      check: (answer) => (hasLine(answer, model.name) ? [] : [faultOf('a line', 'one', answer.body)]),
    },
  });
  if (!has('delete')) return;
  const gone = make();
  const last = (answer: Answer): readonly Fault[] =>
    sameAs('the last thing that was done', 'delete', (answer.body as { data: { action: string }[] }).data[0]?.action);
  add(
    'journal',
    'a deleted record keeps its journal',
    gone.steps,
    { method: 'DELETE', path: at(gone.kept), ifMatch, expect: { status: 204 } },
    { method: 'GET', path: `${at(gone.kept)}/journal`, expect: { status: 200, check: last } },
  );
}

const hasLine = ({ body }: Answer, model: string): boolean =>
  (body as { data: { model?: string }[] }).data.some((line) => line.model === undefined || line.model === model);
