import { linkedOf, relatedNames } from '../../model/related.ts';
import type { Answer, Fault } from '../answer.ts';
import { recordFaults, recordsOf, relatedCalled, totalFaults } from '../compare.ts';
import { faultOf } from '../judge.ts';
import type { Row } from '../oracle/world-state.ts';
import { keyText, pathOf, queryOf } from '../paths.ts';
import type { Person } from '../world.ts';
import type { AccessCases } from './access-cases.ts';

export function deriveList(derivation: AccessCases, who: Person, as: string): void {
  const { says, model, graph, add, named, world } = derivation;
  const bar = says.barred(model, 'read', who);
  const path = pathOf(graph, model);
  if (bar !== undefined) {
    add('list', `${named(who)} asks for the list: ${bar}`, { method: 'GET', path, as, expect: { status: bar } });
    return;
  }
  const wanted = says.readable(model, who);
  const check = (answer: Answer): readonly Fault[] => {
    const others = recordFaults('the records for them', model, answer, wanted);
    if (others.length > 0) return others;
    const byKey = new Map(wanted.map((row) => [keyText(model, row), row]));
    return recordsOf(answer).flatMap((record) =>
      says.memberFaults(model, record, byKey.get(keyText(model, record)), who),
    );
  };
  const most = String(graph.service.paging.most);
  add(
    'list',
    `${named(who)} sees ${wanted.length} of ${world.rowsOf(model).length} in the list, with what is for them`,
    {
      method: 'GET',
      path: path + queryOf({ view: 'default', limit: most }),
      as,
      pages: true,
      expect: { status: 200, check },
    },
  );
  add('list', `${named(who)} is told a total of ${wanted.length}`, {
    method: 'GET',
    path: path + queryOf({ total: 'true', limit: '1' }),
    as,
    expect: { status: 200, check: (answer) => totalFaults('the total', answer, wanted.length) },
  });
  for (const member of model.access.fields.keys()) deriveHidden(derivation, who, as, member);
  for (const relation of relatedNames(model)) deriveRelated(derivation, who, as, relation, wanted);
}

/** A member that is hidden can't be found out by filters and orders either. */
function deriveHidden(
  { model, oracle, graph, add, named, says }: AccessCases,
  who: Person,
  as: string,
  member: string,
): void {
  if (!model.shownByMember.has(member)) return;
  const isNever = !oracle.could(model.access.fields.get(member)!, model, who.caller);
  const path = pathOf(graph, model) + queryOf({ filter: `"${member}" IS NOT NULL`, total: 'true', limit: '1' });
  if (isNever) {
    add('list', `${named(who)} can not filter by ${member}`, { method: 'GET', path, as, expect: { status: 400 } });
    return;
  }
  const seen = says
    .readable(model, who)
    .filter((row) => (oracle.seen(model, member, row, who.caller) ?? null) !== null);
  const check = (answer: Answer) => totalFaults(`the records with a ${member} that they see`, answer, seen.length);
  add('list', `${named(who)} finds by ${member} what they see of it`, {
    method: 'GET',
    path,
    as,
    expect: { status: 200, check },
  });
}

function deriveRelated(
  { graph, model, oracle, says, add, named }: AccessCases,
  who: Person,
  as: string,
  relation: string,
  rows: readonly Row[],
): void {
  const related = relatedCalled(graph, model, relation);
  const { via, target } = related;
  const own =
    model.relations.find((step) => step === via)?.field.member ??
    linkedOf(model).find((links) => links === via)?.member;
  if (own !== undefined && model.access.fields.has(own)) return;
  const byKey = new Map(rows.map((row) => [keyText(model, row), row]));
  const check = (answer: Answer): readonly Fault[] =>
    recordsOf(answer).flatMap((record): Fault[] => {
      const row = byKey.get(keyText(model, record));
      if (row === undefined) return [faultOf('a record of the list', 'one of theirs', record)];
      const all = oracle.related(model, via, row).filter((other) => oracle.may(target, 'read', other, who.caller));
      const faults = related.faults(keyText(model, row), record, all);
      if (faults.length > 0) return faults;
      const others = new Map(all.map((other) => [keyText(target, other), other]));
      return related
        .shownIn(record)
        .flatMap((other) => says.memberFaults(target, other, others.get(keyText(target, other)), who));
    });
  const most = String(Math.min(20, graph.service.paging.most));
  add('list', `${named(who)} sees of ${relation} what is for them`, {
    method: 'GET',
    path: pathOf(graph, model) + queryOf({ include: relation, limit: most }),
    as,
    expect: { status: 200, check },
  });
}
