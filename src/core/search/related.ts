import { evaluate } from '../expression/evaluate.ts';
import type { RecordValues } from '../expression/evaluate.ts';
import type { Caller } from '../expression/context.ts';
import type { Expression } from '../model/expression.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import { isReverse } from '../model/relation.ts';
import type { Links, Step, Via } from '../model/relation.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { Records, Row } from './records.ts';

/** Where expressions look for other records, at which time. */
export interface Surroundings {
  readonly graph: Graph;
  readonly records: Records;
  now(): Date;
}

const keyOf = (model: Model, row: Row): FieldValue => row[model.key.member]!;

/** The records that a relation leads to, in plain JavaScript. */
export function relatedRows(
  { graph, records }: Pick<Surroundings, 'graph' | 'records'>,
  model: Model,
  via: Step | Via,
  row: Row,
): readonly Row[] {
  if (isReverse(via)) {
    const source = modelOf(graph, via.source);
    const { member } = source.relations.find(({ name }) => name === via.relation)!.field;
    return records.allOf(via.source).filter((other) => other[member] === keyOf(model, row));
  }
  if ('table' in via) return linkedRows({ graph, records }, model, via, row);
  const one = records.byKey(via.target, row[via.field.member]);
  return one === undefined ? [] : [one];
}

function linkedRows(
  { graph, records }: Pick<Surroundings, 'graph' | 'records'>,
  model: Model,
  via: Links,
  row: Row,
): readonly Row[] {
  const target = modelOf(graph, via.target);
  if (via.member !== undefined) {
    const keys = (row[via.member] ?? []) as readonly FieldValue[];
    return records.allOf(via.target).filter((other) => keys.includes(keyOf(target, other)));
  }
  const back = linkedOf(target).find(({ table }) => table === via.table)!;
  const leadsHere = (other: Row): boolean => ((other[back.member] ?? []) as FieldValue[]).includes(keyOf(model, row));
  return records.allOf(via.target).filter(leadsHere);
}

/** Which model a record is of: an expression may lead on from another one. */
function modelIn({ graph, records }: Surroundings, values: RecordValues, otherwise: Model): Model {
  const isOf = (model: Model): boolean => records.byKey(model.name, values[model.key.member]) === values;
  return graph.models.find(isOf) ?? otherwise;
}

/** The value of an expression over a record, which need not be stored yet. */
export function valueOver(
  around: Surroundings,
  expression: Expression,
  model: Model,
  row: Row,
  caller: Caller | null = null,
): FieldValue {
  return evaluate(expression, {
    values: row,
    now: around.now(),
    caller,
    related: (via, _target, values) =>
      relatedRows(around, values === row ? model : modelIn(around, values, model), via, values as Row),
  });
}
