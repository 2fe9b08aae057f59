import type { EvaluationContext } from '../../expression/context.ts';
import { evaluate } from '../../expression/evaluate.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { Relation } from '../../model/relation.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { changedAt } from '../../model/stamps.ts';
import { Refusal, Unsure } from './refusal.ts';
import { moveStocks } from './move-stocks.ts';
import { keyTextOf } from './world-state.ts';
import type { Row, WorldState } from './world-state.ts';

interface Doomed {
  readonly model: Model;
  readonly row: Row;
}

const nameOf = ({ model, row }: Doomed): string => `${model.name}/${keyTextOf(row[model.key.member])}`;

interface Referrer extends Doomed {
  readonly relation: Relation;
}

function referrersOf(state: WorldState, { model, row }: Doomed): Referrer[] {
  const key = keyTextOf(row[model.key.member]);
  return state.graph.models.flatMap((other) =>
    other.relations
      .filter(({ target }) => target === model.name)
      .flatMap((relation) =>
        state
          .allOf(other.name)
          .filter((one) => isNotNull(one[relation.field.member]) && keyTextOf(one[relation.field.member]) === key)
          .map((one) => ({ model: other, relation, row: one })),
      ),
  );
}

const isNotNull = (value: FieldValue | undefined): boolean => value !== null && value !== undefined;

/** Deletes a record and what goes along with it, or throws a refusal. `hooked` are the models with hooks. */
export function remove(
  state: WorldState,
  model: Model,
  row: Row,
  moment: EvaluationContext,
  hooked: ReadonlySet<string>,
): void {
  const doomed = new Map<string, Doomed>();
  const gather = (one: Doomed): void => {
    doomed.set(nameOf(one), one);
    for (const other of referrersOf(state, one)) {
      if (other.relation.onDelete === 'cascade' && !doomed.has(nameOf(other))) gather(other);
    }
  };
  gather({ model, row });
  const holding = [...doomed.values()].flatMap((one) =>
    referrersOf(state, one).filter(({ relation }) => relation.onDelete === 'restrict'),
  );
  if (holding.some((one) => !doomed.has(nameOf(one)))) throw new Refusal('still-referred-to');
  // Which of those that go along goes first decides.
  if (holding.some((one) => nameOf(one) !== nameOf({ model, row })))
    throw new Unsure('records that would be deleted together refer to each other');
  if (doomed.size > state.graph.service.limits.cascade) throw new Unsure('the limit of deletes');
  for (const one of doomed.values()) {
    for (const other of referrersOf(state, one)) {
      if (other.relation.onDelete === 'clear' && !doomed.has(nameOf(other))) clear(state, other, moment, hooked);
    }
  }
  for (const one of [...doomed.values()].reverse()) {
    // Its stock may have moved meanwhile.
    const last = state.byKey(one.model.name, one.row[one.model.key.member])!;
    moveStocks(state, one.model, last, undefined, moment);
    state.remove(one.model, last[one.model.key.member]!);
    if (one.model.journal) note(state, one.model, last, 'delete', moment);
  }
}

/** Sets a relation to null whose record goes. */
function clear(
  state: WorldState,
  { model, row, relation }: Referrer,
  moment: EvaluationContext,
  hooked: ReadonlySet<string>,
): void {
  const isWatched = model.journal || model.draws.length > 0 || hooked.has(model.name);
  const stamp = isWatched ? changedAt(model, moment.now) : {};
  const after = { ...row, [relation.field.member]: null, ...stamp };
  const isBroken = model.rules.some(
    ({ check, ownValues }) => ownValues && evaluate(check, { values: after, ...moment }) === false,
  );
  if (isBroken) throw new Unsure('a rule across fields stands against a reference that is cleared');
  if (isWatched) moveStocks(state, model, row, after, moment);
  state.put(model, after);
  if (model.journal) note(state, model, after, 'update', moment);
}

/** Adds a line to the journal of a record. */
export function note(
  state: WorldState,
  model: Model,
  row: Row,
  action: 'create' | 'update' | 'delete',
  { caller }: EvaluationContext,
): void {
  const by = caller === null ? null : String(caller.key);
  state.note({ model: modelOf(state.graph, model.name).name, record: keyTextOf(row[model.key.member]), action, by });
}
