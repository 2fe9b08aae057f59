import { endpointsOf } from '../api/endpoints.ts';
import type { Endpoint, EndpointName } from '../api/endpoints.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { relatedNames } from '../model/related.ts';
import type { Relation } from '../model/relation.ts';
import { sortable } from '../query/listable.ts';
import { exampleValue } from '../rules/examples.ts';
import type { KnownValues } from '../rules/examples.ts';
import { isNeeded, isSettable } from '../rules/schema.ts';
import { spoken } from '../text/names.ts';
import type { Answer, Fault } from './answer.ts';
import type { Body, Case, Expectation, Kept, Skipped, Step } from './case.ts';
import { deriveAccess } from './derive-access.ts';
import { deriveLimits } from './derive-limits.ts';
import { deriveReading } from './derive-reading.ts';
import { deriveWriting } from './derive-writing.ts';
import { edgesOf } from './edges.ts';
import { faultOf } from './judge.ts';
import { isFalse, keepsRules, valuesOf } from './keeps-rules.ts';
import { makerOf, TRIES } from './make.ts';
import type { Maker, Making } from './make.ts';
import { pathOf } from './paths.ts';
import type { World } from './world.ts';

export interface Derived {
  readonly cases: readonly Case[];
  readonly skipped: readonly Skipped[];
}

/**
 * The cases that follow from the declarations alone. With a `world`, the sample data, also those that compare what
 * lists find and what callers see with the same worked out in JavaScript.
 */
export function deriveCases(graph: Graph, known: KnownValues, now: Date, world?: World): Derived {
  const maker = makerOf(graph, known, now);
  const limits = deriveLimits(graph, world?.people.find(({ caller }) => caller !== null)?.name);
  const results = graph.models.map((model): Derived => {
    const rules = deriveForModel(graph, model, maker);
    const more = [
      ...deriveWriting(model, maker),
      ...(world === undefined ? [] : [...deriveReading(world, model), ...deriveAccess(world, model)]),
    ];
    const ofModel = ({ model: name }: Case | Skipped): boolean => name === model.name;
    return chosenOf(
      model,
      [...rules.cases, ...more, ...limits.cases.filter(ofModel)],
      [...rules.skipped, ...limits.skipped.filter(ofModel)],
    );
  });
  return { cases: results.flatMap(({ cases }) => cases), skipped: results.flatMap(({ skipped }) => skipped) };
}

/** Without the cases that the model says to leave out, by a part of their title; they are told. */
function chosenOf({ name, trial }: Model, cases: readonly Case[], skipped: readonly Skipped[]): Derived {
  const isLeftOut = ({ title, endpoint }: Case): boolean =>
    trial.skip.some(
      (text) =>
        title.includes(text) || endpoint === text || (text === `${endpoint}-edge` && /: (taken|refused)$/.test(title)),
    );
  const left = cases.filter(isLeftOut).map(({ title }): Skipped => ({ model: name, title, why: 'the model says so' }));
  return { cases: cases.filter((one) => !isLeftOut(one)), skipped: [...skipped, ...left] };
}

/** What the cases of one model are derived with. */
export interface ModelCases {
  readonly on: {
    read: false | ((kept: string, expect: Expectation) => Step);
    list: false | ((query: string, expect: Expectation) => Step);
    replace: false | ((kept: string, body: Readonly<Record<string, unknown>>, expect: Expectation) => Step);
    update: false | ((kept: string, body: Readonly<Record<string, unknown>>, expect: Expectation) => Step);
    delete: ((kept: string, expect: Expectation) => Step) | undefined;
  };
  readonly make: () => Making;
  readonly add: (endpoint: EndpointName, title: string, ...steps: (Step | readonly Step[])[]) => void;
  readonly model: Model;
  readonly turn: () => number;
  readonly maker: Maker;
  readonly now: Date;
  readonly skip: (title: string, why: string) => number;
  readonly graph: Graph;
}

function deriveForModel(graph: Graph, model: Model, maker: Maker): Derived {
  const { now, turn } = maker;
  const cases: Case[] = [];
  const skipped: Skipped[] = [];
  const endpoints = new Map(
    endpointsOf(graph, model)
      .filter(({ under, operation }) => under === undefined && operation === undefined)
      .map((endpoint) => [endpoint.name, endpoint]),
  );
  const skip = (title: string, why: string): number => skipped.push({ model: model.name, title, why });
  const obstacle = maker.obstacle(model);
  if (obstacle !== undefined) {
    skip('all cases', obstacle);
    return { cases, skipped };
  }
  const add = (endpoint: EndpointName, title: string, ...steps: (Step | readonly Step[])[]): void => {
    const flat = steps.flat();
    const sent = new Set(flat.map((step) => `${step.method} ${step.path}`));
    if (sent.size > 0 && endpoints.has(endpoint)) cases.push({ model: model.name, endpoint, title, steps: flat });
  };
  const make = (): Making => maker.make(model);
  const on = stepsFor(graph, model, endpoints);

  const whole = make();
  add('create', 'a record is made', whole.steps.slice(0, -1), {
    ...whole.steps.at(-1)!,
    expect: { status: 201, data: shownOf(model, whole.body), location: endpoints.get('create')!.path },
  });
  if (on.read) {
    const made = make();
    add(
      'read',
      'a record is read back as it was made',
      made.steps,
      on.read(made.kept, { status: 200, data: shownOf(model, made.body) }),
    );
  }
  if (on.list) {
    const made = make();
    const narrowed = on.list(`?${model.key.member}={${made.kept}}`, { status: 200, length: 1 });
    add('list', 'a record stands in the list', made.steps, narrowed);
    for (const member of sortable(model)) {
      add('list', `the list is sorted by ${member}`, on.list(`?sort=-${member}&limit=5`, { status: 200 }));
    }
    for (const relation of relatedNames(model)) {
      add('list', `${relation} can be included`, on.list(`?include=${relation}&limit=5`, { status: 200 }));
    }
    add('list', 'an unknown parameter is refused', on.list('?no_such_parameter=1', { status: 400 }));
    add('list', 'a limit of 0 is refused', on.list('?limit=0', { status: 400 }));
    const { most } = graph.service.paging;
    add('list', `a limit of ${most} is taken`, on.list(`?limit=${most}`, { status: 200 }));
    add('list', `a limit of ${most + 1} is refused`, on.list(`?limit=${most + 1}`, { status: 400 }));
  }
  for (const how of ['replace', 'update'] as const) {
    const step = on[how];
    if (!step) continue;
    const [made, other] = [make(), make()];
    const body = Object.fromEntries(
      Object.entries(other.body).filter(([member]) => isSettable(model.byMember.get(member)!, how)),
    );
    const title = how === 'replace' ? 'a record is replaced' : 'a record is changed';
    add(
      how,
      title,
      made.steps,
      other.steps,
      uniqueFreed(model, on.delete, other),
      step(made.kept, body, { status: 200, data: shownOf(model, body) }),
    );
  }
  if (on.delete) {
    const made = make();
    const gone = on.read ? [on.read(made.kept, { status: 404 })] : [];
    const again = on.delete(made.kept, { status: 404 });
    add(
      'delete',
      'a record is deleted, and is then gone',
      made.steps,
      on.delete(made.kept, { status: 204 }),
      gone,
      again,
    );
  }
  const derivation: ModelCases = { on, make, add, model, turn, maker, now, skip, graph };
  if (model.conditional) deriveConditions(derivation);
  deriveRules(derivation);
  deriveAcross(derivation);
  deriveUnique(derivation);
  deriveRelations(derivation);
  return { cases, skipped };
}

function deriveConditions({ on, make, add }: ModelCases): void {
  const { replace, update, delete: remove } = on;
  const writes: [EndpointName, ((made: Making, expect: Expectation) => Step) | undefined][] = [
    ['replace', replace ? ({ kept, body }, expect) => replace(kept, body, expect) : undefined],
    ['update', update ? ({ kept }, expect) => update(kept, {}, expect) : undefined],
    ['delete', remove ? ({ kept }, expect) => remove(kept, expect) : undefined],
  ];
  for (const [how, write] of writes) {
    if (write === undefined) continue;
    const [one, other] = [make(), make()];
    const silent = { ...write(one, { status: 428 }), ifMatch: undefined };
    add(how, 'a write that names no state is refused', one.steps, silent);
    const strange = { ...write(other, { status: 412 }), ifMatch: '"another"' };
    add(how, 'a write that names another state is refused', other.steps, strange);
  }
}

function deriveRules(derivation: ModelCases): void {
  const { make, add, model, turn, on, maker } = derivation;
  const refused = (body: Body, made: Making, expect: Expectation): Step[] => [
    ...made.steps.slice(0, -1),
    { ...made.steps.at(-1)!, body, expect, keep: undefined },
  ];
  const broken = (rule: string, member: string): Expectation => ({
    status: 422,
    error: { rule, pointer: `/${member}` },
  });

  const strange = make();
  const unknown = { ...strange.body, no_such_member: 1 };
  add(
    'create',
    'a member that nobody declared is refused',
    refused(unknown, strange, broken('unknown', 'no_such_member')),
  );

  for (const field of model.fields) {
    const { member, rules } = field;
    if (!isSettable(field, 'create')) {
      const made = make();
      const value = exampleValue(field, turn(), []);
      add(
        'create',
        `${member} can not be set`,
        refused({ ...made.body, [member]: value }, made, broken('readOnly', member)),
      );
      continue;
    }
    if (isNeeded(field, 'create', model)) {
      const made = make();
      const { [member]: _left, ...rest } = made.body;
      add('create', `${member} left out is refused`, refused(rest, made, broken('required', member)));
    }
    if (rules.default !== undefined) {
      const made = make();
      const { [member]: _left, ...rest } = made.body;
      const expect = { status: 201, data: shownOf(model, { ...rest, [member]: rules.default }) };
      add('create', `${member} left out becomes its default`, refused(rest, made, expect));
    }
    if (field.origin !== 'relation') edgeCases(derivation, field, refused, broken);
    changedCases(derivation, field, refused);
    if (rules.immutable && on.update && field !== model.parent?.field) {
      const made = make();
      const other = maker.example(model, field, turn() + 1);
      if (other === undefined || other === made.body[member] || field.origin === 'relation') continue;
      const step = on.update(made.kept, { [member]: other }, broken('immutable', member));
      add('update', `${member} can not be changed`, made.steps, step);
    }
  }
}

/** What is done to a text before it is kept, and what is made of another one. */
function changedCases(
  { make, add }: ModelCases,
  field: Field,
  sent: (body: Body, made: Making, expect: Expectation) => Step[],
): void {
  const { member, rules, derivedFrom } = field;
  const made = make();
  const value = made.body[member];
  const taken = (given: string, kept: string): Step[] =>
    sent({ ...made.body, [member]: given }, made, { status: 201, data: { [member]: kept } });
  if (typeof value === 'string' && !rules.writeOnly) {
    if (rules.trim) add('create', `${member} is kept without blanks around it`, taken(`  ${value} `, value));
    if (rules.letters === 'lower' && value !== value.toUpperCase())
      add('create', `${member} is kept in lower case`, taken(value.toUpperCase(), value));
    if (rules.letters === 'upper' && value !== value.toLowerCase())
      add('create', `${member} is kept in upper case`, taken(value.toLowerCase(), value));
  }
  if (derivedFrom === undefined) return;
  const { [member]: _given, ...rest } = made.body;
  const check = ({ body }: Answer): readonly Fault[] => {
    const found = (body as { data?: Record<string, unknown> }).data?.[member];
    return typeof found === 'string' && /^[a-z0-9]+(-[a-z0-9]+)*$/.test(found)
      ? []
      : [faultOf(member, `a slug of ${derivedFrom}`, found)];
  };
  add('create', `${member} left out is made from ${derivedFrom}`, sent(rest, made, { status: 201, check }));
}

/** A record whose own values break a rule across them is refused, and told at the place that the rule names. */
function deriveAcross(derivation: ModelCases): void {
  const { model, make, now, skip, add } = derivation;
  for (const { check, ownValues, at, message } of model.rules) {
    if (!ownValues) continue;
    const title = `a record of which it is false that ${message}`;
    const breaking = (): Making | undefined => {
      for (let tried = 0; tried < 10 * TRIES; tried += 1) {
        const one = make();
        const body = { ...one.body, ...strayValues(derivation, one.body, tried) };
        if (isFalse(check, valuesOf(model, body), now)) return { ...one, body };
      }
      return undefined;
    };
    const made = breaking();
    if (made === undefined) {
      skip(title, 'no record that breaks this rule could be made up');
      continue;
    }
    const expect: Expectation = { status: 422, error: { rule: 'check', pointer: at === undefined ? '' : `/${at}` } };
    add('create', `${title}: refused`, made.steps.slice(0, -1), {
      ...made.steps.at(-1)!,
      body: made.body,
      expect,
      keep: undefined,
    });
  }
}

/** Values of the model's own fields that need not go together; every other time two relations lead to one record. */
function strayValues({ model, maker }: ModelCases, body: Body, tried: number): Body {
  const values = model.fields.flatMap((field): [string, unknown][] => {
    const isOwn = isSettable(field, 'create') && field.refersTo === undefined && field.type !== 'secret';
    const at = (tried * 7_919 + field.member.length * 104_729) % 10_007;
    const value = isOwn ? maker.example(model, field, at) : undefined;
    return value === undefined ? [] : [[field.member, value]];
  });
  const references = model.relations.filter(({ field }) => body[field.member] !== undefined);
  const twins = references.flatMap(({ field, target }, at): [string, unknown][] => {
    const first = references.findIndex((one) => one.target === target);
    return first === at || tried % 2 === 0 ? [] : [[field.member, body[references[first]!.field.member]]];
  });
  return Object.fromEntries([...values, ...twins]);
}

function edgeCases(
  { turn, skip, make, model, now, add }: ModelCases,
  field: Field,
  sent: (body: Body, made: Making, expect: Expectation) => Step[],
  broken: (rule: string, member: string) => Expectation,
): void {
  const { member } = field;
  const { edges, missing } = edgesOf(field, turn);
  for (const { rule, why } of missing) skip(`${member} past its ${rule}`, why);
  for (const { rule, value, passes, title } of edges) {
    // A slug that is left out is derived: there is no null to see.
    if (passes && value === null && field.derivedFrom !== undefined) continue;
    let made = make();
    const bodyOf = (): Body => ({ ...made.body, [member]: value });
    for (let tried = 1; passes && tried < TRIES && !keepsRules(model, bodyOf(), now); tried += 1) made = make();
    const body = bodyOf();
    if (passes && !keepsRules(model, body, now)) {
      skip(`${member} ${title}`, 'no record with this value could be made up that keeps the rules across fields');
      continue;
    }
    const expect = passes ? { status: 201, data: shownOf(model, { [member]: value }) } : broken(rule, member);
    add('create', `${member} ${title}: ${passes ? 'taken' : 'refused'}`, sent(body, made, expect));
  }
}

function deriveUnique({ model, make, add }: ModelCases): void {
  for (const fields of model.unique) {
    const made = make();
    const twin = make();
    const repeated = Object.fromEntries(fields.map(({ member }) => [member, made.body[member]]));
    const body = { ...twin.body, ...repeated };
    const error = { rule: 'unique', pointer: `/${fields.at(-1)!.member}` };
    const last = { ...twin.steps.at(-1)!, body, expect: { status: 409, error }, keep: undefined };
    const names = fields.map(({ member }) => member).join(' and ');
    add('create', `a second record with the same ${names} is refused`, made.steps, twin.steps.slice(0, -1), last);
  }
}

function deriveRelations(derivation: ModelCases): void {
  const { model, make, turn, add } = derivation;
  for (const relation of model.relations) {
    const { field, target } = relation;
    const made = make();
    const missing = exampleValue({ ...field, rules: { ...field.rules, required: true } }, 900_000 + turn(), []);
    const body = { ...made.body, [field.member]: missing };
    const error = { rule: 'unknown-record', pointer: `/${field.member}` };
    add('create', `${field.member} of no ${spoken(target)} is refused`, made.steps.slice(0, -1), {
      ...made.steps.at(-1)!,
      body,
      expect: { status: 422, error },
      keep: undefined,
    });
    deleteOfTarget(derivation, relation);
  }
}

/** What becomes of this model's record when the record that it refers to is deleted. */
function deleteOfTarget({ graph, make, on, add }: ModelCases, { field, target, onDelete }: Relation): void {
  const other = modelOf(graph, target);
  const reference = make();
  const kept = reference.body[field.member];
  if (!other.endpoints.has('delete') || !on.read || typeof kept !== 'object') return;
  const path = `${pathOf(graph, other)}/{${(kept as Kept).kept}}`;
  const gone = onDelete === 'restrict' ? 409 : 204;
  const after: Expectation =
    onDelete === 'cascade'
      ? { status: 404 }
      : { status: 200, data: { [field.member]: onDelete === 'clear' ? null : kept } };
  const outcome = { restrict: 'refused', cascade: 'takes it along', clear: 'clears the reference' }[onDelete];
  add('delete', `deleting its ${spoken(target)} (${field.member}): ${outcome}`, reference.steps, [
    { method: 'DELETE', path, ifMatch: other.conditional ? '*' : undefined, expect: { status: gone } },
    on.read(reference.kept, after),
  ]);
}

/** The other record of a replacement lends its values, and must not stand in the way of unique ones. */
function uniqueFreed(
  model: Model,
  remove: ((kept: string, expect: Expectation) => Step) | undefined,
  other: Making,
): Step[] {
  return model.unique.length > 0 && remove ? [remove(other.kept, { status: 204 })] : [];
}

function stepsFor(graph: Graph, model: Model, endpoints: ReadonlyMap<EndpointName, Endpoint>) {
  const collection = pathOf(graph, model);
  const has = (name: EndpointName): boolean => endpoints.has(name);
  const record = (kept: string): string => `${collection}/{${kept}}`;
  // Whatever state a record is in: the model wants to be told of one.
  const ifMatch = model.conditional ? '*' : undefined;
  const changing =
    (method: 'PUT' | 'PATCH') =>
    (kept: string, body: Body, expect: Expectation): Step => ({
      method,
      path: record(kept),
      body,
      ifMatch,
      expect,
    });
  return {
    read: has('read') && ((kept: string, expect: Expectation): Step => ({ method: 'GET', path: record(kept), expect })),
    list:
      has('list') &&
      ((query: string, expect: Expectation): Step => ({ method: 'GET', path: collection + query, expect })),
    replace: has('replace') && changing('PUT'),
    update: has('update') && changing('PATCH'),
    delete: has('delete')
      ? (kept: string, expect: Expectation): Step => ({ method: 'DELETE', path: record(kept), ifMatch, expect })
      : undefined,
  };
}

/** The members of a body that an answer shows. */
const shownOf = (model: Model, body: Body): Body =>
  Object.fromEntries(Object.entries(body).filter(([member]) => model.shownByMember.has(member)));
