import { amountField } from '../change/draws.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Draw, EndpointName, Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import { isNeeded, isSettable } from '../rules/schema.ts';
import type { Answer, Fault } from './answer.ts';
import type { Body, Case, Expectation, Kept, Step } from './case.ts';
import { faultOf, sameAs } from './judge.ts';
import type { Maker, Making } from './make.ts';
import { pathOf } from './paths.ts';

/** What an answer has under `data`. */
const dataOf = ({ body }: Answer): Record<string, unknown> =>
  (body as { data?: Record<string, unknown> } | undefined)?.data ?? {};

const isList = (value: unknown): value is unknown[] => Array.isArray(value);

/** What the cases of one model's writes are derived with. */
export interface WritingCases {
  readonly model: Model;
  readonly graph: Graph;
  readonly make: () => Making;
  readonly add: (endpoint: Case['endpoint'], title: string, ...steps: (Step | readonly Step[])[]) => void;
  readonly has: (name: EndpointName) => boolean;
  readonly collection: string;
  readonly read: (kept: string, expect: Expectation, more?: Partial<Step>) => Step;
  readonly at: (kept: string) => string;
  readonly ifMatch: '*' | undefined;
  readonly maker: Maker;
}

/** What holds of every write, whatever its rules: all or nothing, conditions, repetition, stock, history, links. */
export function deriveWriting(model: Model, maker: Maker): Case[] {
  const { graph } = maker;
  const cases: Case[] = [];
  const add = (endpoint: Case['endpoint'], title: string, ...steps: (Step | readonly Step[])[]): void =>
    void cases.push({ model: model.name, endpoint, title, steps: steps.flat() });
  const has = (name: Parameters<Model['endpoints']['has']>[0]): boolean => model.endpoints.has(name);
  if (!has('create') || maker.obstacle(model) !== undefined) return cases;
  const collection = pathOf(graph, model);
  const at = (kept: string): string => `${collection}/{${kept}}`;
  const ifMatch = model.conditional ? '*' : undefined;
  const make = (): Making => maker.make(model);
  const read = (kept: string, expect: Expectation, more: Partial<Step> = {}): Step => ({
    method: 'GET',
    path: at(kept),
    expect,
    ...more,
  });

  const derivation: WritingCases = { model, graph, make, add, has, collection, read, at, ifMatch, maker };
  deriveTogether(derivation);
  deriveWithin(derivation);
  if (has('read')) {
    deriveStates(derivation);
    deriveMissing(derivation);
  }
  deriveRepeated(derivation);
  for (const draw of model.draws) deriveDraw(derivation, draw);
  if (model.journal) deriveJournal(derivation);
  for (const { member, target } of linkedOf(model)) deriveLinks(derivation, member, modelOf(graph, target));
  if (has('clear')) deriveClear(derivation);
  return cases;
}

/** Within its whole, a part has its key from the path. */
function deriveWithin({ model, graph, make, add, has }: WritingCases): void {
  const { parent } = model;
  if (parent === undefined) return;
  const whole = modelOf(graph, parent.target);
  const within = (kept: string): string => `${pathOf(graph, whole)}/{${kept}}/${model.plural}`;
  const made = make();
  const { [parent.field.member]: part, ...body } = made.body;
  const { kept } = part as Kept;
  const path = within(kept);
  add('create', `made within a ${whole.name}, a record is a part of it`, made.steps.slice(0, -1), {
    method: 'POST',
    path,
    body,
    expect: { status: 201, data: { [parent.field.member]: part } },
  });
  if (!has('list')) return;
  const other = make();
  const { [parent.field.member]: home, ...values } = other.body;
  const at = within((home as Kept).kept);
  add(
    'list',
    `within a ${whole.name} only its own are listed`,
    other.steps.slice(0, -1),
    { method: 'POST', path: at, body: values, expect: { status: 201 } },
    { method: 'GET', path: at, expect: { status: 200, length: 1 } },
  );
}

/** Many at once are all made, or none is; and a record that breaks a rule leaves no trace. */
function deriveTogether({ make, add, collection, has }: WritingCases): void {
  const [one, other] = [make(), make()];
  const bodies = [one.body, other.body];
  const before = [...one.steps.slice(0, -1), ...other.steps.slice(0, -1)];
  const two = (answer: Answer): readonly Fault[] => {
    const { data } = answer.body as { data: unknown };
    return isList(data) && data.length === 2 ? [] : [faultOf('the records that were made', 2, data)];
  };
  add('create', 'two records at once are both made', before, {
    method: 'POST',
    path: collection,
    body: bodies as unknown as Body,
    expect: { status: 201, check: two },
  });
  if (!has('list')) return;
  const [good, bad] = [make(), make()];
  const broken = [good.body, { ...bad.body, no_such_member: 1 }];
  const count = (name: string): Step => ({
    method: 'GET',
    path: `${collection}?total=true&limit=1`,
    expect: { status: 200 },
    keep: { name, pointer: '/page/total' },
  });
  const as = (name: string): Step => ({
    ...count('after'),
    expect: {
      status: 200,
      check: (answer, kept) =>
        sameAs('the number of records', kept.get(name), (answer.body as { page: { total: number } }).page.total),
    },
  });
  const refused = { rule: 'unknown', pointer: '/1/no_such_member' };
  add(
    'create',
    'of two records with one that is wrong, none is made',
    good.steps.slice(0, -1),
    bad.steps.slice(0, -1),
    count('before'),
    { method: 'POST', path: collection, body: broken as unknown as Body, expect: { status: 422, error: refused } },
    as('before'),
  );
}

/** Answers and states of records have tags, which conditions name. */
function deriveStates(derivation: WritingCases): void {
  const { make, read, add, has, at, model, ifMatch } = derivation;
  const made = make();
  const tag = read(made.kept, { status: 200 }, { keep: { name: 'tag', header: 'etag' } });
  add(
    'read',
    'an answer that is known already is not sent again',
    made.steps,
    tag,
    read(made.kept, { status: 304 }, { headers: { 'if-none-match': '{tag}' } }),
  );
  if (!has('update')) return;
  const change = changeOf(derivation, make());
  if (change === undefined) return;
  const [fresh, stale] = [make(), make()];
  const tagOf = ({ kept }: Making): Step => read(kept, { status: 200 }, { keep: { name: 'tag', header: 'etag' } });
  const patch = ({ kept }: Making, expect: Expectation, headers: Record<string, string>): Step => ({
    method: 'PATCH',
    path: at(kept),
    body: change,
    headers,
    expect,
  });
  add(
    'update',
    'a record that is as it was read is changed',
    fresh.steps,
    tagOf(fresh),
    patch(fresh, { status: 200 }, { 'if-match': '{tag}' }),
  );
  const isNew = (answer: Answer, kept: ReadonlyMap<string, unknown>): readonly Fault[] =>
    answer.headers.etag === kept.get('tag') ? [faultOf('the ETag', 'another one', answer.headers.etag)] : [];
  add(
    'update',
    'a record that has changed since it was read is not',
    stale.steps,
    tagOf(stale),
    patch(stale, { status: 200, check: isNew }, { 'if-match': '*' }),
    patch(stale, { status: 412 }, { 'if-match': '{tag}' }),
  );
  const before = make();
  const others = Object.fromEntries(
    Object.entries(before.body).filter(([member]) => !Object.hasOwn(change, member) && model.shownByMember.has(member)),
  );
  add(
    'update',
    'what a change does not name stays',
    before.steps,
    patch(before, { status: 200, data: others }, { 'if-match': '*' }),
  );
  const [member, value] = Object.entries(change)[0]!;
  const patched = make();
  const steps = [{ op: 'add', path: `/${member}`, value }] as unknown as Body;
  add('update', 'a JSON Patch changes a member', patched.steps, {
    method: 'PATCH',
    path: at(patched.kept),
    body: steps,
    type: 'application/json-patch+json',
    ifMatch,
    expect: { status: 200, data: change },
  });
  if (has('replace')) deriveReplaced(derivation);
}

/** What is left out of a replacement goes to its default, or to null. */
function deriveReplaced({ make, model, maker, add, at, ifMatch }: WritingCases): void {
  const made = make();
  const settable = model.fields.filter((field) => isSettable(field, 'replace') && !field.rules.writeOnly);
  const body = Object.fromEntries(
    settable
      .filter((field) => isNeeded(field, 'create', model))
      .flatMap(({ member }) => (Object.hasOwn(made.body, member) ? [[member, made.body[member]]] : [])),
  );
  if (!maker.keepsRules(model, body)) return;
  const plain = settable.filter(
    ({ member, derivedFrom, origin, drawnOn, rules }) =>
      !Object.hasOwn(body, member) &&
      derivedFrom === undefined &&
      origin === 'field' &&
      drawnOn !== true &&
      (!rules.hasDefault || rules.default !== undefined),
  );
  const data = Object.fromEntries(plain.map(({ member, rules }) => [member, rules.default ?? null]));
  if (Object.keys(data).length === 0) return;
  add('replace', 'what a replacement leaves out goes to its default, or to null', made.steps, {
    method: 'PUT',
    path: at(made.kept),
    body,
    ifMatch,
    expect: { status: 200, data },
  });
}

function deriveMissing({ model, add, collection }: WritingCases): void {
  const key =
    model.keyKind === 'serial'
      ? '999999999'
      : model.keyKind === 'uuid'
        ? '00000000-0000-4000-8000-00000000dead'
        : undefined;
  if (key !== undefined)
    add('read', 'there is no record with another key', {
      method: 'GET',
      path: `${collection}/${key}`,
      expect: { status: 404 },
    });
  if (model.keyKind === 'uuid')
    add('read', 'what can not be a key is none', {
      method: 'GET',
      path: `${collection}/not-a-key`,
      expect: { status: 404 },
    });
}

/** Sent twice under one key, a request is done once. */
function deriveRepeated({ make, model, add }: WritingCases): void {
  const made = make();
  const key = { 'idempotency-key': `trial-${model.name}-${made.kept}` };
  const sent = { ...made.steps.at(-1)!, headers: key };
  const pointer = `/data/${model.key.member}`;
  const again = (answer: Answer, kept: ReadonlyMap<string, unknown>): readonly Fault[] =>
    sameAs('the key of the record', kept.get('first'), dataOf(answer)[model.key.member]);
  add(
    'create',
    'a request that is sent twice is done once',
    made.steps.slice(0, -1),
    { ...sent, keep: { name: 'first', pointer } },
    { ...sent, expect: { status: 201, check: again }, keep: undefined },
  );
}

/** A value of one member that a record can be changed to. */
function changeOf({ model, maker }: WritingCases, other: Making): Body | undefined {
  const drawn = new Set(model.draws.map((draw) => amountField(draw)));
  for (const field of model.fields) {
    const value = other.body[field.member];
    const isPlain =
      field.origin === 'field' && isSettable(field, 'update') && !field.rules.writeOnly && !drawn.has(field);
    if (!isPlain || value === undefined || typeof value === 'object' || model.unique.some((set) => set.includes(field)))
      continue;
    if (model.rules.length > 0 && !maker.keepsRules(model, { ...other.body, [field.member]: value })) continue;
    return { [field.member]: value };
  }
  return undefined;
}

/** What is drawn is taken, what is given back is there again, and nobody gets what isn't left. */
function deriveDraw({ graph, maker, make, collection, model, add, has, ifMatch }: WritingCases, draw: Draw): void {
  const amount = amountField(draw);
  const target = modelOf(graph, draw.from);
  const reference = draw.relation.field.member;
  if (amount === undefined || !target.endpoints.has('read') || !isSettable(amount, 'create')) return;
  const making = (stock: number): { steps: readonly Step[]; from: string } | undefined => {
    const whole = maker.make(target, { [draw.field.member]: stock });
    return { steps: whole.steps, from: whole.kept };
  };
  const body = (taken: number, from: string): Body => ({
    ...bare.body,
    [amount.member]: taken,
    [reference]: { kept: from } satisfies Kept,
  });
  const bare = make();
  const others = bare.steps.slice(0, -1);
  const post = (taken: number, from: string, expect: Expectation, more: Partial<Step> = {}): Step => ({
    method: 'POST',
    path: collection,
    body: body(taken, from),
    expect,
    ...more,
  });
  const left = (from: string, wanted: number): Step => ({
    method: 'GET',
    path: `${pathOf(graph, target)}/{${from}}`,
    expect: {
      status: 200,
      check: (answer) =>
        sameAs(`the ${draw.field.member} that are left`, wanted, Number(dataOf(answer)[draw.field.member])),
    },
  });
  const keep = { name: 'drawing', pointer: `/data/${model.key.member}` };
  const drawing = `${collection}/{drawing}`;
  const low = draw.field.rules.minimum ?? 0;
  const stock = low + 4;
  const start = (title: string, endpoint: Case['endpoint'], ...steps: ((from: string) => Step)[]): void => {
    const made = making(stock);
    if (made !== undefined)
      add(
        endpoint,
        title,
        others,
        made.steps,
        steps.map((step) => step(made.from)),
      );
  };
  const what = `${target.name}.${draw.field.member}`;
  deriveTaking({ start, post, left, what, stock });
  if (has('delete'))
    start(
      `what a deleted record drew is given back to ${what}`,
      'delete',
      (from) => post(3, from, { status: 201 }, { keep }),
      () => ({ method: 'DELETE', path: drawing, ifMatch, expect: { status: 204 } }),
      (from) => left(from, stock),
    );
  if (has('update') && isSettable(amount, 'update'))
    start(
      `a draw that changes moves the difference of ${what}`,
      'update',
      (from) => post(3, from, { status: 201 }, { keep }),
      () => ({ method: 'PATCH', path: drawing, body: { [amount.member]: 1 }, ifMatch, expect: { status: 200 } }),
      (from) => left(from, stock - 1),
    );
}

/** The steps that the cases of one draw are made of. */
interface DrawSteps {
  /** Adds a case; each of its steps is given the name of the record that is drawn on. */
  start(title: string, endpoint: Case['endpoint'], ...steps: ((from: string) => Step)[]): void;
  /** Makes a record that takes so much. */
  post(taken: number, from: string, expect: Expectation, more?: Partial<Step>): Step;
  /** Looks how much is left. */
  left(from: string, wanted: number): Step;
  readonly what: string;
  readonly stock: number;
}

function deriveTaking({ start, post, left, what, stock }: DrawSteps): void {
  start(
    `what is drawn is taken from ${what}`,
    'create',
    (from) => post(3, from, { status: 201 }),
    (from) => left(from, stock - 3),
  );
  const short: Expectation = {
    status: 409,
    check: ({ body: problem }) =>
      (problem as { errors?: { rule?: string }[] }).errors?.some(({ rule }) => rule === 'draw') === true
        ? []
        : [faultOf('an error', 'one of the rule draw', problem)],
  };
  start(
    `more than is left of ${what} is refused, and nothing is taken`,
    'create',
    (from) => post(5, from, short),
    (from) => left(from, stock),
  );
  start(
    `the last of ${what} goes to one of many who ask at once`,
    'create',
    (from) => post(3, from, { status: 201, statuses: [201, 409, 409, 409] }, { times: 4 }),
    (from) => left(from, stock - 3),
  );
}

/** Who did what, in the order of it, with what was and what became. */
function deriveJournal(derivation: WritingCases): void {
  const { make, has, model, at, ifMatch, add } = derivation;
  const made = make();
  const change = has('update') ? changeOf(derivation, make()) : undefined;
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

function deriveLinks({ maker, has, make, add, read, at, ifMatch }: WritingCases, member: string, target: Model): void {
  if (maker.obstacle(target) !== undefined || !has('read')) return;
  const [made, one, other] = [make(), maker.make(target), maker.make(target)];
  const last = made.steps.at(-1)!;
  const linked = (...kept: string[]): Body => ({ [member]: kept.map((name) => ({ kept: name })) });
  const shows =
    (...names: string[]) =>
    (answer: Answer, kept: ReadonlyMap<string, unknown>): readonly Fault[] =>
      sameAs(
        member,
        names.map((name) => String(kept.get(name))).sort(),
        (dataOf(answer)[member] as unknown[]).map(String).sort(),
      );
  add(
    'create',
    `${member} links a record with others`,
    made.steps.slice(0, -1),
    one.steps,
    other.steps,
    { ...last, body: { ...made.body, ...linked(one.kept, other.kept) } },
    read(made.kept, { status: 200, check: shows(one.kept, other.kept) }),
  );
  if (has('update'))
    add(
      'update',
      `${member} that are named are all that a record is linked with`,
      made.steps.slice(0, -1),
      one.steps,
      other.steps,
      { ...last, body: { ...made.body, ...linked(one.kept) } },
      {
        method: 'PATCH',
        path: at(made.kept),
        body: linked(other.kept),
        ifMatch,
        expect: { status: 200, check: shows(other.kept) },
      },
    );
}

function deriveClear({ add, collection, make, model, has, read }: WritingCases): void {
  add('clear', 'without a condition nothing is deleted', {
    method: 'DELETE',
    path: collection,
    expect: { status: 400 },
  });
  const [one, other] = [make(), make()];
  const query = `?${model.key.member}={${one.kept}}`;
  const check = (answer: Answer): readonly Fault[] => sameAs('how many were deleted', 1, dataOf(answer).deleted);
  add(
    'clear',
    'what a condition chooses is deleted, and nothing else',
    one.steps,
    other.steps,
    { method: 'DELETE', path: collection + query, expect: { status: 200, check } },
    ...(has('read') ? [read(one.kept, { status: 404 }), read(other.kept, { status: 200 })] : []),
  );
}
