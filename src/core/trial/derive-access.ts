import type { Verb } from '../model/access.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { linkedOf, relatedNames } from '../model/related.ts';
import { exampleValue } from '../rules/examples.ts';
import { isSettable } from '../rules/schema.ts';
import type { Answer, Fault } from './answer.ts';
import type { Case, Step } from './case.ts';
import { recordFaults, recordsOf, relatedCalled, totalFaults } from './compare.ts';
import { faultOf } from './judge.ts';
import type { Oracle, Row } from './oracle.ts';
import { keyText, pathOf, queryOf } from './paths.ts';
import { expectations } from './statuses.ts';
import type { Expectations } from './statuses.ts';
import type { Person, World } from './world.ts';

/** Records that are asked for one by one, of each kind that grants tell apart. */
const MOST_ROWS = 4;

/** What the cases of who may do what are derived with. */
export interface AccessCases {
  readonly says: Expectations;
  readonly model: Model;
  readonly graph: Graph;
  readonly add: (endpoint: Case['endpoint'], title: string, ...steps: Step[]) => void;
  readonly named: (person: Person) => string;
  readonly world: World;
  readonly oracle: Oracle;
  readonly cases: Case[];
}

/**
 * Every kind of caller at every endpoint of a model: the status that `may` says, and not a record or a member too
 * many.
 */
export function deriveAccess(world: World, model: Model): Case[] {
  const { graph, oracle } = world;
  if (graph.identity === undefined) return [];
  const cases: Case[] = [];
  const says = expectations(world);
  const people = callersOf(world, model, says);
  const add = (endpoint: Case['endpoint'], title: string, ...steps: Step[]): void =>
    void cases.push({ model: model.name, endpoint, title, steps });
  const named = (person: Person): string => (person.caller === null ? 'nobody' : describeCaller(person));

  const derivation: AccessCases = { says, model, graph, add, named, world, oracle, cases };
  for (const who of people) {
    const as = who.name;
    if (model.endpoints.has('list')) deriveList(derivation, who, as);
    for (const row of rowsFor(derivation, who)) deriveRecord(derivation, who, as, row);
    deriveMaking(derivation, who, as);
    deriveHistory(derivation, who, as);
    deriveSetting(derivation, who, as);
    deriveOperations(derivation, who, as);
  }
  return cases;
}

function deriveList(derivation: AccessCases, who: Person, as: string): void {
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

function deriveRecord(derivation: AccessCases, who: Person, as: string, row: Row): void {
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

/** A member that is for others to set can't be changed by whoever may change the record. */
function deriveSetting(derivation: AccessCases, who: Person, as: string): void {
  const { model, world, says, oracle, add, named, graph } = derivation;
  for (const [member, grants] of model.access.set) {
    const field = model.byMember.get(member);
    if (field === undefined || !isSettable(field, 'update') || field.type === 'secret') continue;
    const row = world
      .rowsOf(model)
      .find((one) => says.expected(model, 'update', one, who) === 200 && !oracle.holds(grants, model, one, who.caller));
    if (row === undefined || !model.endpoints.has('update')) continue;
    const value = [1, 2, 3]
      .map((turn) => exampleValue(field, turn, []))
      .find((one) => one !== undefined && JSON.stringify(one) !== JSON.stringify(row[member]));
    if (value === undefined) continue;
    const ifMatch = model.conditional ? '*' : undefined;
    add('update', `${named(who)} may change ${describeRow(derivation, row, who)}, but not its ${member}: 403`, {
      method: 'PATCH',
      path: pathOf(graph, model, row),
      body: { [member]: value },
      ifMatch,
      as,
      expect: { status: 403 },
    });
  }
}

/** Whether somebody may make records shows before what they send is looked at. */
function deriveMaking({ model, says, add, named, graph }: AccessCases, who: Person, as: string): void {
  if (!model.endpoints.has('create')) return;
  const status = says.barred(model, 'create', who);
  const expect = status === undefined ? { status: 422, statuses: [201, 409, 422] } : { status };
  add('create', `${named(who)} ${status === undefined ? 'may make one' : `may not make one: ${status}`}`, {
    method: 'POST',
    path: pathOf(graph, model),
    body: {},
    as,
    expect,
  });
}

/** The journal of all records is for those who may read any. */
function deriveHistory({ model, says, oracle, graph, add, named }: AccessCases, who: Person, as: string): void {
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

function deriveOperations(derivation: AccessCases, who: Person, as: string): void {
  const { model, says, named, add, graph } = derivation;
  for (const { name, target, reads } of model.operations) {
    const grants = model.access.operations.get(name) ?? [];
    const rows = target === 'record' ? rowsFor(derivation, who) : [undefined];
    const met = new Set<number>();
    for (const row of rows) {
      const status = says.operation(model, grants, row, who);
      if (met.has(status)) continue;
      met.add(status);
      // Of what comes of it, where it is allowed, its own code alone knows.
      const isIn = (answer: Answer): readonly Fault[] =>
        [401, 403, 404, 405].includes(answer.status) || answer.status >= 500
          ? [faultOf('the status', 'that they are let in', answer.status)]
          : [];
      const expect =
        status === 200
          ? { status: 200, statuses: [200, 201, 202, 204, 400, 409, 410, 412, 422, 423], check: isIn }
          : { status };
      const title = status === 200 ? `${named(who)} may ${name}` : `${named(who)} may not ${name}: ${status}`;
      add('operation', title, {
        method: reads ? 'GET' : 'POST',
        path: `${pathOf(graph, model, row)}/${name}`,
        ...(reads ? {} : { body: {} }),
        as,
        expect,
      });
    }
  }
}

/** A record of each kind: those that this caller may read, change, delete, and sees all of, or not. */
function rowsFor({ world, model, oracle, says }: AccessCases, who: Person): Row[] {
  const kinds = new Map<string, Row>();
  for (const row of world.rowsOf(model)) {
    const hidden = [...model.access.fields.keys()].map((member) => oracle.sees(model, member, row, who.caller));
    const kind = [...VERBS.map((verb) => says.expected(model, verb, row, who)), ...hidden].join();
    if (!kinds.has(kind)) kinds.set(kind, row);
  }
  return [...kinds.values()].slice(0, MOST_ROWS);
}

function describeRow({ model, oracle }: AccessCases, row: Row, { caller }: Person): string {
  if (caller === null || model.owner === undefined) return 'one';
  return oracle.holds([{ kind: 'owner' }], model, row, caller) ? 'their own' : "another's";
}

/** `tor (walker)` */
function describeCaller({ name, caller }: Person): string {
  return caller!.roles.length === 0 ? name : `${name} (${caller!.roles.join(', ')})`;
}

const VERBS: readonly Verb[] = ['read', 'update', 'replace', 'delete', 'journal'];
/** So many callers are enough to meet all that grants tell apart, in most models. */
const MOST_CALLERS = 6;

/** Nobody, somebody of each set of roles, and whoever meets something at a record that none of these does. */
function callersOf({ people, rowsOf }: World, model: Model, says: Expectations): Person[] {
  const meets = (person: Person): string[] => [
    ...new Set(rowsOf(model).map((row) => VERBS.map((verb) => says.expected(model, verb, row, person)).join())),
  ];
  const chosen = new Map<string, Person>();
  for (const person of people) {
    const kind = person.caller === null ? 'nobody' : [...person.caller.roles].sort().join();
    if (!chosen.has(kind)) chosen.set(kind, person);
  }
  const met = new Set([...chosen.values()].flatMap(meets));
  const all = [...chosen.values()];
  for (const person of people) {
    if (all.length >= MOST_CALLERS || person.caller === null || all.includes(person)) continue;
    const kinds = meets(person);
    if (!kinds.some((kind) => !met.has(kind))) continue;
    kinds.forEach((kind) => met.add(kind));
    all.push(person);
  }
  return all;
}
