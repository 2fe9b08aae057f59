import { LRUCache } from 'lru-cache';
import { admit, unknownRecord } from '../../access/authorization.ts';
import type { Asker } from '../../access/principal.ts';
import { bySight } from '../../access/sight.ts';
import type { Sight } from '../../access/sight.ts';
import type { Reply } from '../../api/message.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import { boundsOf } from '../../query/bounds.ts';
import { isFixed, listStatements, listValues } from '../../query/list-statement.ts';
import type { ListStatement } from '../../query/list-statement.ts';
import type { StoreValue } from '../../sql/statement.ts';
import { keyFromText } from '../request/key.ts';
import { listReaders, readListRequest } from '../request/list-request.ts';
import type { ListOf, ListRequest } from '../request/list-request.ts';
import { KEPT_FORMS, LONGEST_KEPT } from './context.ts';
import type { Serving } from './context.ts';
import { pageReply } from './page-reply.ts';
import type { PageEnds } from './page-reply.ts';

/** A list's query, understood, and all that it takes to answer it. */
interface ListPlan {
  readonly request: ListRequest;
  readonly statement: ListStatement;
  /** Undefined where they depend on the time, or on the caller. */
  readonly values: readonly StoreValue[] | undefined;
  readonly ends: PageEnds;
}

/** Answers a list of records, all or some of a model's. `finish` has the last word on their JSON texts. */
export type ListAnswerer = (
  asker: Asker,
  path: string,
  query: string,
  of: ListOf,
  finish?: (records: string) => Promise<string>,
) => Promise<Reply>;

export function makeListAnswerer(
  model: Model,
  { graph, store, cursors, moment }: Pick<Serving, 'graph' | 'store' | 'cursors' | 'moment'>,
): ListAnswerer {
  const { dialect } = store;
  const listed = { graph, model, bounds: boundsOf(graph, model), dialect };
  const plansOf = bySight((sight: Sight) => {
    const readers = listReaders(model, sight, dialect, cursors);
    const statementOf = listStatements(listed, KEPT_FORMS);
    // The same few queries come again and again, to the letter: what they mean needs to be found out once.
    const plans = new LRUCache<string, ListPlan>({ max: KEPT_FORMS });

    return ({ caller }: Asker, path: string, query: string, of: ListOf): ListPlan => {
      const name = `${of.differs ?? ''}${path}?${query}`;
      let plan = plans.get(name);
      if (plan === undefined) {
        const request = readListRequest(model, path, query, graph.service.paging, readers, of);
        const { form, limit } = request;
        const statement = statementOf(form);
        const occasion = { now: moment.now(), caller };
        const values = isFixed(form, statement) ? listValues(statement, form, limit, dialect, occasion) : undefined;
        plan = { request, statement, values, ends: {} };
        if (name.length <= LONGEST_KEPT) plans.set(name, plan);
      }
      return plan;
    };
  });

  return async (asker, path, query, of, finish) => {
    const { request, statement, values, ends } = plansOf(asker.sight)(asker, path, query, of);
    const { form, limit } = request;
    const bound = values ?? listValues(statement, form, limit, dialect, { now: moment.now(), caller: asker.caller });
    const row = await store.first(statement, bound, asker.requester);
    if (!row![3]) throw unknownRecord(asker.sight, modelOf(graph, of.under!.relation.target));
    return pageReply(path, request, statement, row!, cursors, ends, finish);
  };
}

/** Answers a list of a model's records: all, or the parts of the record that `parentKey` names. */
export function makeListReader(
  model: Model,
  serving: Pick<Serving, 'graph' | 'store' | 'cursors' | 'moment'>,
): (asker: Asker, path: string, query: string, parentKey?: string) => Promise<Reply> {
  const answer = makeListAnswerer(model, serving);
  const { parent } = model;
  const whole = parent === undefined ? undefined : modelOf(serving.graph, parent.target);
  return async (asker, path, query, parentKey) => {
    const { sight } = asker;
    const condition = admit(sight, model, 'read');
    if (parent === undefined || parentKey === undefined) return answer(asker, path, query, { condition });
    if (sight.may(whole!, 'read') === false) throw unknownRecord(sight, whole!);
    const under = { relation: parent, key: keyFromText(whole!.key, parentKey) };
    return answer(asker, path, query, { condition, under });
  };
}
