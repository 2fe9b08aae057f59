import { pointerTo } from '../../api/failure.ts';
import type { EvaluationContext } from '../../expression/context.ts';
import { modelOf } from '../../model/graph.ts';
import type { Draw, Model } from '../../model/model.ts';
import type { Scalar } from '../../model/scalar.ts';
import { changedAt } from '../../model/stamps.ts';
import { amountMember, lowestOf, shareOf, unitsOf, valueOfUnits } from '../../search/stock.ts';
import type { Broken } from './read-value.ts';
import { brokenRules, Refusal } from './refusal.ts';
import type { Row, WorldState } from './world-state.ts';

/** Moves the stocks that a record draws on, from what it drew before to what it draws now. */
export function moveStocks(
  state: WorldState,
  model: Model,
  before: Row | undefined,
  after: Row | undefined,
  at: EvaluationContext,
) {
  const moves: { draw: Draw; key: Scalar; amount: bigint }[] = [];
  const wrong: Broken[] = [];
  for (const draw of model.draws) {
    const was = before && shareOf(model, draw, before, at);
    const is = after && shareOf(model, draw, after, at);
    if (is?.isWrong === true) wrong.push({ pointer: pointerTo(amountMember(draw)), rule: 'draw' });
    if (is !== undefined && was?.key === is.key) moves.push({ draw, key: is.key, amount: is.amount - was.amount });
    else {
      if (was !== undefined) moves.push({ draw, key: was.key, amount: -was.amount });
      if (is !== undefined) moves.push({ draw, key: is.key, amount: is.amount });
    }
  }
  if (wrong.length > 0) throw brokenRules(wrong);
  const real = moves.filter(({ key, amount }) => key !== null && amount !== 0n);
  const orderOf = ({ draw, key }: (typeof real)[number]): string => `${draw.from}/${String(key)}`;
  real.sort((one, other) => (orderOf(one) < orderOf(other) ? -1 : 1));
  for (const { draw, key, amount } of real) moveOne(state, draw, key, amount, at);
}

function moveOne(state: WorldState, draw: Draw, key: Scalar, amount: bigint, { now, caller }: EvaluationContext): void {
  const model = modelOf(state.graph, draw.from);
  const { field } = draw;
  const row = state.byKey(model.name, key);
  const stock = (row?.[field.member] ?? null) as Scalar;
  if (row === undefined || stock === null) {
    if (amount < 0n) return;
    throw shortage(draw);
  }
  const left = unitsOf(stock, field) - amount;
  if (amount > 0n && left < lowestOf(field)) throw shortage(draw);
  const stamp = changedAt(model, now);
  state.put(model, { ...row, [field.member]: valueOfUnits(left, field), ...stamp });
  if (model.journal)
    state.note({
      model: model.name,
      record: String(key),
      action: 'update',
      by: caller === null ? null : String(caller.key),
    });
}

const shortage = (draw: Draw): Refusal =>
  new Refusal('not-enough-left', [{ pointer: pointerTo(amountMember(draw)), rule: 'draw' }]);
