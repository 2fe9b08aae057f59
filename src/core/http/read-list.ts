import { LRUCache } from 'lru-cache';
import type { Model } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { boundsOf } from '../query/bounds.ts';
import { isFixed, listStatements, listValues } from '../query/list-statement.ts';
import type { ListForm, ListStatement } from '../query/list-statement.ts';
import type { StoreValue } from '../store/contract.ts';
import { clientScope, filterReader } from './filter.ts';
import { keyFromText } from './key.ts';
import { readListRequest } from './list-request.ts';
import type { ListRequest } from './list-request.ts';
import type { Reply } from './message.ts';
import { pageReply } from './page-reply.ts';
import type { PageEnds } from './page-reply.ts';
import { HttpProblem } from './problems.ts';
import { KEPT_FORMS, LONGEST_KEPT } from './serving.ts';
import type { Serving } from './serving.ts';
import { shownReader } from './shown.ts';
import { sortReader } from './sort.ts';

/** A list's query, understood, and all that it takes to answer it. */
interface ListPlan {
  readonly request: ListRequest;
  readonly statement: ListStatement;
  readonly values: readonly StoreValue[];
  readonly ends: PageEnds;
}

/** Values that all records of a list have, beside what its query asks for. */
export type Always = ListForm['filters'];

/** Answers a list of a model's records: all, or the parts of the record that `parentKey` names. */
export function makeListReader(
  model: Model,
  { graph, store, cursors, moment }: Pick<Serving, 'graph' | 'store' | 'cursors' | 'moment'>,
): (path: string, query: string, parentKey?: string, always?: Always) => Promise<Reply> {
  const { dialect } = store;
  const parent = model.parent === undefined ? undefined : modelOf(graph, model.parent.target);
  const scope = clientScope(graph, model);
  const readers = {
    cursors,
    readFilter: filterReader(graph, model, dialect, scope),
    readSort: sortReader(graph, model, dialect, scope),
    readShown: shownReader(graph, model, model.listView),
  };
  const listed = { graph, model, bounds: boundsOf(graph, model), dialect };
  const statementOf = listStatements(listed, KEPT_FORMS);
  // The same few queries come again and again, to the letter: what they mean needs to be found out once.
  const plans = new LRUCache<string, ListPlan>({ max: KEPT_FORMS });

  function planOf(path: string, query: string, under: ListForm['under'], always: Always): ListPlan {
    const name = `${path}?${query}`;
    let plan = plans.get(name);
    if (plan === undefined) {
      const asked = readListRequest(model, path, query, graph.service.paging, readers, under);
      const request = { ...asked, form: { ...asked.form, filters: [...always, ...asked.form.filters] } };
      const { form, limit } = request;
      const statement = statementOf(form);
      plan = { request, statement, values: listValues(statement, form, limit, dialect, moment.now()), ends: {} };
      if (isFixed(form, statement) && name.length <= LONGEST_KEPT) plans.set(name, plan);
    }
    return plan;
  }

  return async (path, query, parentKey, always = []) => {
    const under =
      parent === undefined || parentKey === undefined
        ? undefined
        : { parent, field: model.parent!.field, key: keyFromText(parent.key, parentKey) };
    const { request, statement, values, ends } = planOf(path, query, under, always);
    const row = await store.first(statement, values);
    if (!row![3]) throw new HttpProblem('not-found');
    return pageReply(path, request, statement, row!, cursors, ends);
  };
}
