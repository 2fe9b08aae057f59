import { modelOf } from '../../model/graph.ts';
import type { Answer, Fault } from '../answer.ts';
import type { Step } from '../case.ts';
import { recordFaults, recordsOf } from '../compare.ts';
import { faultOf } from '../judge.ts';
import type { Row } from '../oracle/world-state.ts';
import { keyText, pathOf } from '../paths.ts';
import type { Person } from '../world.ts';
import { describeRow } from './access-cases.ts';
import type { AccessCases } from './access-cases.ts';

export function deriveRecord(derivation: AccessCases, who: Person, as: string, row: Row): void {
  const { graph, model, named, says, add, cases } = derivation;
  const path = pathOf(graph, model, row);
  const has = (endpoint: 'read' | 'update' | 'replace' | 'delete'): boolean => model.endpoints.has(endpoint);
  const title = (what: string, status: number): string =>
    `${named(who)} ${what} ${describeRow(derivation, row, who)}: ${status}`;
  const read = says.expected(model, 'read', row, who);
  if (has('read')) {
    const check = (answer: Answer): readonly Fault[] =>
      says.memberFaults(model, (answer.body as { data: Row }).data, row, who);
    add('read', title('reads', read), {
      method: 'GET',
      path,
      as,
      expect: { status: read, ...(read === 200 ? { check } : {}) },
    });
  }
  const ifMatch = model.conditional ? '*' : undefined;
  if (has('update')) {
    const status = says.expected(model, 'update', row, who);
    add('update', title('changes', status), { method: 'PATCH', path, body: {}, ifMatch, as, expect: { status } });
  }
  if (has('replace')) {
    const status = says.expected(model, 'replace', row, who);
    const body = says.bodyLike(model, row);
    // What they can't have read they can't send back either.
    const statuses = status === 401 || status === 403 || status === 404 ? [status] : [200, 422];
    add('replace', title('replaces', status), {
      method: 'PUT',
      path,
      body,
      ifMatch,
      as,
      expect: { status, statuses },
    });
  }
  if (has('delete')) {
    const status = says.expected(model, 'delete', row, who);
    // A state that the record is not in shows whether it would have been allowed, and leaves it there.
    add('delete', title('deletes', status), {
      method: 'DELETE',
      path,
      ifMatch: '"none-at-all"',
      as,
      expect: { status: status === 200 ? 412 : status },
    });
  }
  if (model.journal) {
    const status = says.expected(model, 'journal', row, who);
    add('journal', title('reads the journal of', status), {
      method: 'GET',
      path: `${path}/journal`,
      as,
      expect: { status },
    });
  }
  for (const part of model.parts.map((name) => modelOf(graph, name))) {
    if (!part.endpoints.has('list')) continue;
    const status = says.barred(part, 'read', who) ?? (read === 403 ? 404 : read);
    const mine = says.readable(part, who).filter((other) => other[part.parent!.field.member] === row[model.key.member]);
    const check = (answer: Answer) => recordFaults(`the ${part.plural} within`, part, answer, mine);
    const steps: Step = {
      method: 'GET',
      path: `${path}/${part.plural}?limit=${graph.service.paging.most}&view=default`,
      as,
      pages: true,
      expect: { status, ...(status === 200 ? { check } : {}) },
    };
    cases.push({
      model: part.name,
      endpoint: 'list',
      title: `${named(who)} asks for those of ${describeRow(derivation, row, who)} ${model.name}: ${status}`,
      steps: [steps],
    });
  }
}

/** The journal of all records is for those who may read any. */
export function deriveHistory({ model, says, oracle, graph, add, named }: AccessCases, who: Person, as: string): void {
  if (!model.journal) return;
  const status = says.barred(model, 'read', who) ?? says.barred(model, 'journal', who) ?? 200;
  const known = says.readable(model, who).filter((row) => oracle.may(model, 'journal', row, who.caller));
  const mine = new Set(known.map((row) => keyText(model, row)));
  const check = (answer: Answer): readonly Fault[] => {
    const other = recordsOf(answer).find(({ record }) => !mine.has(String(record as string)));
    return other === undefined
      ? []
      : [faultOf('a line of the journal', 'one of a record whose journal is for them', other)];
  };
  const most = String(graph.service.paging.most);
  add('journal', `${named(who)} reads the journal of all: ${status}`, {
    method: 'GET',
    path: `${pathOf(graph, model)}/journal?limit=${most}`,
    as,
    pages: true,
    expect: { status, ...(status === 200 ? { check } : {}) },
  });
}
