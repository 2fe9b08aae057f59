import type { Field, ValueSpec } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import type { Draw } from '../../model/model.ts';
import type { FieldValue, Scalar } from '../../model/scalar.ts';
import { exampleValue, isSound, onGrid, stepOf } from '../../rules/examples.ts';
import { isSettable } from '../../rules/schema.ts';
import { amountMember, lowestOf, unitsOf } from '../../search/stock.ts';
import type { Case, Expectation, Step } from '../case.ts';
import { faultOf, sameAs } from '../judge.ts';
import type { Making } from '../make.ts';
import { pathOf } from '../paths.ts';
import { dataOf } from './writing-cases.ts';
import type { WritingCases } from './writing-cases.ts';

/** What is drawn is taken, what is given back is there again, and nobody gets what isn't left. */
export function deriveDraw(derivation: WritingCases, draw: Draw): void {
  const { graph, model, add } = derivation;
  const amount = model.byMember.get(amountMember(draw))!;
  const target = modelOf(graph, draw.from);
  const isPlain =
    amount !== draw.relation.field && isSettable(amount, 'create') && isSettable(draw.relation.field, 'create');
  if (!isPlain || !target.endpoints.has('read') || !target.endpoints.has('create')) return;
  const plan = amountsFor(amount, draw.field);
  const what = `${target.name}.${draw.field.member}`;
  if (plan === undefined) {
    add('create', `what is drawn is taken from ${what}`, unplanned(`no amount goes with a stock of ${what}`));
    return;
  }
  const steps = stepsOf(derivation, draw, amount, plan.stock);
  deriveTaking({ add, steps, what, plan });
  deriveGivingBack(derivation, { add, steps, what, plan }, amount);
}

const unplanned = (obstacle: string): Step => ({ method: 'GET', path: '/', expect: { status: 200 }, obstacle });

/** A stock, an amount that fits into it once, and one that does not fit. */
interface Plan {
  readonly stock: FieldValue;
  readonly taken: FieldValue;
  readonly more: FieldValue | undefined;
  /** Another amount that fits, to change to. */
  readonly other: FieldValue | undefined;
  /** What is left after an amount was taken. */
  left(taken: FieldValue): number;
}

/** So many values of a field are looked at. */
const MOST_VALUES = 120;

/** The first values of a field above zero, as its rules have them. */
function valuesOf(field: ValueSpec): Scalar[] {
  const { rules } = field;
  const step = stepOf(field);
  const from = Math.max(rules.minimum ?? rules.exclusiveMinimum ?? 0, 0);
  const grid = Array.from({ length: MOST_VALUES }, (_none, at) => onGrid(field, Math.floor(from / step + at) * step));
  const listed = rules.enum ?? grid;
  const known = exampleValue(field, 1, []);
  return [...listed, ...(known === undefined ? [] : [known as Scalar])].filter(
    (value) => value !== null && isSound(field, value) && Number(value) > 0,
  );
}

function amountsFor(amount: Field, stock: Field): Plan | undefined {
  // Such an amount can't be taken in whole units of the stock.
  if (amount.scale > stock.scale) return undefined;
  const low = lowestOf(stock);
  const amounts = valuesOf(amount);
  const room = (value: Scalar): bigint => unitsOf(value, stock) - low;
  for (const taken of amounts) {
    const size = unitsOf(taken, stock);
    const others = amounts.filter((value) => unitsOf(value, stock) !== size);
    const fit = valuesOf(stock).filter((value) => room(value) >= size && room(value) < 2n * size);
    // Best a stock of which the least that must stay is what refuses more.
    const isTight = (value: Scalar): boolean =>
      others.some((other) => unitsOf(other, stock) > room(value) && unitsOf(other, stock) <= room(value) + low);
    const found = fit.find(isTight) ?? fit[0];
    if (found === undefined) continue;
    return {
      stock: found,
      taken,
      more: others.find((value) => unitsOf(value, stock) > room(found)),
      other: others.find((value) => unitsOf(value, stock) <= room(found)),
      left: (value) => Number(unitsOf(found, stock) - unitsOf(value as Scalar, stock)) / 10 ** stock.scale,
    };
  }
  return undefined;
}

/** The steps that the cases of one draw are made of. */
interface DrawSteps {
  /** A record that takes so much of a new stock. */
  make(taken: FieldValue): Making;
  /** Looks how much is left. */
  left(made: Making, wanted: number): Step;
}

function stepsOf({ graph, maker, model }: WritingCases, draw: Draw, amount: Field, stock: FieldValue): DrawSteps {
  const target = modelOf(graph, draw.from);
  const { member } = draw.relation.field;
  return {
    make: (taken) =>
      maker.make(model, {
        given: { [amount.member]: taken },
        parents: { [member]: { given: { [draw.field.member]: stock } } },
        draws: false,
        drawing: draw,
      }),
    left(made, wanted) {
      const from = made.body[member] as { kept?: string } | undefined;
      return {
        method: 'GET',
        path: `${pathOf(graph, target)}/{${from?.kept ?? ''}}`,
        expect: {
          status: 200,
          check: (answer) =>
            sameAs(`the ${draw.field.member} that are left`, wanted, Number(dataOf(answer)[draw.field.member])),
        },
      };
    },
  };
}

interface DrawCases {
  readonly add: WritingCases['add'];
  readonly steps: DrawSteps;
  readonly what: string;
  readonly plan: Plan;
}

function deriveTaking({ add, steps, what, plan }: DrawCases): void {
  const { taken, more, left, stock } = plan;
  const made = steps.make(taken);
  add('create', `what is drawn is taken from ${what}`, made.steps, steps.left(made, left(taken)));
  if (more !== undefined) {
    const short: Expectation = {
      status: 409,
      check: ({ body: problem }) =>
        (problem as { errors?: { rule?: string }[] }).errors?.some(({ rule }) => rule === 'draw') === true
          ? []
          : [faultOf('an error', 'one of the rule draw', problem)],
    };
    const greedy = steps.make(more);
    const title = `more than is left of ${what} is refused, and nothing is taken`;
    const refused = { ...greedy.steps.at(-1)!, expect: short, keep: undefined };
    add('create', title, greedy.steps.slice(0, -1), refused, steps.left(greedy, Number(stock)));
  }
  const raced = steps.make(taken);
  const expect = { status: 201, statuses: [201, 409, 409, 409] };
  const race = { ...raced.steps.at(-1)!, expect, times: 4, keep: undefined };
  const title = `the last of ${what} goes to one of many who ask at once`;
  add('create', title, raced.steps.slice(0, -1), race, steps.left(raced, left(taken)));
}

function deriveGivingBack({ collection, has, ifMatch }: WritingCases, cases: DrawCases, amount: Field): void {
  const { add, steps, what, plan } = cases;
  const { taken, other, left, stock } = plan;
  const at = ({ kept }: Making): string => `${collection}/{${kept}}`;
  const endpoint: Case['endpoint'] = 'delete';
  if (has('delete')) {
    const made = steps.make(taken);
    const remove: Step = { method: 'DELETE', path: at(made), ifMatch, expect: { status: 204 } };
    const title = `what a deleted record drew is given back to ${what}`;
    add(endpoint, title, made.steps, remove, steps.left(made, Number(stock)));
  }
  if (has('update') && isSettable(amount, 'update') && other !== undefined) {
    const made = steps.make(taken);
    const body = { [amount.member]: other };
    const change: Step = { method: 'PATCH', path: at(made), body, ifMatch, expect: { status: 200 } };
    add(
      'update',
      `a draw that changes moves the difference of ${what}`,
      made.steps,
      change,
      steps.left(made, left(other)),
    );
  }
}
