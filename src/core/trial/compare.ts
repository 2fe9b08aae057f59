import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { stepCalled, viaCalled } from '../model/related.ts';
import type { Step, Via } from '../model/relation.ts';
import { MOST_RELATED } from '../query/projection.ts';
import type { Answer, Fault } from './answer.ts';
import { faultOf } from './judge.ts';
import type { Row } from './oracle/world-state.ts';
import { keysOf } from './paths.ts';

/** Records of an answer to a list. */
export const recordsOf = ({ body }: Answer): Row[] => (body as { data?: Row[] } | undefined)?.data ?? [];

/** Whether a list has these records and no others, in whatever order. */
export function recordFaults(what: string, model: Model, answer: Answer, wanted: readonly Row[]): Fault[] {
  const [keys, expected] = [keysOf(model, recordsOf(answer)), keysOf(model, wanted)];
  return keys.join() === expected.join()
    ? []
    : [faultOf(`${what} (${keys.length}, not ${expected.length})`, expected, keys)];
}

/** Whether a page has this total. */
export function totalFaults(what: string, { body }: Answer, wanted: number): Fault[] {
  const found = (body as { page: { total?: number } }).page.total;
  return found === wanted ? [] : [faultOf(what, wanted, found)];
}

/** Where a relation leads, and what a record shows of it. */
export interface Related {
  readonly via: Step | Via;
  readonly target: Model;
  shownIn(record: Row): readonly Row[];
  /** `of` names the record; `wanted` are the records that it must show, but for those that are too many. */
  faults(of: string, record: Row, wanted: readonly Row[]): Fault[];
}

export function relatedCalled(graph: Graph, model: Model, relation: string): Related {
  const one = stepCalled(model, relation);
  const via = one?.step ?? viaCalled(model, relation)!.via;
  const target = modelOf(graph, one?.target ?? viaCalled(model, relation)!.target);
  const gotIn = (record: Row) =>
    record[relation] as unknown as (Row & { data?: Row[]; more?: boolean }) | null | undefined;
  const shownIn = (record: Row): readonly Row[] => {
    const got = gotIn(record) ?? undefined;
    return one === undefined ? (got?.data ?? []) : got === undefined ? [] : [got];
  };
  return {
    via,
    target,
    shownIn,
    faults(of, record, wanted) {
      const [found, expected] = [keysOf(target, shownIn(record)), keysOf(target, wanted)];
      const isMore = gotIn(record)?.more === true;
      const isSame =
        one === undefined && expected.length > MOST_RELATED
          ? found.length === MOST_RELATED && isMore
          : found.join() === expected.join() && !isMore;
      return isSame ? [] : [faultOf(`${relation} of ${of}`, expected, found)];
    },
  };
}
