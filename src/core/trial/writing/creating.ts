import { modelOf } from '../../model/graph.ts';
import type { Answer, Fault } from '../answer.ts';
import type { Body, Kept, Step } from '../case.ts';
import { faultOf, sameAs } from '../judge.ts';
import { pathOf } from '../paths.ts';
import { dataOf, isList } from './writing-cases.ts';
import type { WritingCases } from './writing-cases.ts';

/** Many at once are all made, or none is; and a record that breaks a rule leaves no trace. */
export function deriveTogether({ make, add, collection, has }: WritingCases): void {
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

/** Within its parent, a child gets its key from the path. */
export function deriveWithin({ model, graph, make, add, has }: WritingCases): void {
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

/** Sent twice under one key, a request is done once. */
export function deriveRepeated({ make, model, add }: WritingCases): void {
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
