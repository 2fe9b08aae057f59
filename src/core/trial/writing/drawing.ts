import { amountField } from '../../change/draws.ts';
import { modelOf } from '../../model/graph.ts';
import type { Draw } from '../../model/model.ts';
import { isSettable } from '../../rules/schema.ts';
import type { Body, Case, Expectation, Kept, Step } from '../case.ts';
import { faultOf, sameAs } from '../judge.ts';
import { pathOf } from '../paths.ts';
import { dataOf } from './writing-cases.ts';
import type { WritingCases } from './writing-cases.ts';

/** What is drawn is taken, what is given back is there again, and nobody gets what isn't left. */
export function deriveDraw(
  { graph, maker, make, collection, model, add, has, ifMatch }: WritingCases,
  draw: Draw,
): void {
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
