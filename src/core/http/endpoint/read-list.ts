import { LRUCache } from 'lru-cache';
import { authorize, unknownRecord } from '../../access/authorization.ts';
import { memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import { refuseParameters } from '../../api/problems.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import { boundsOf } from '../../query/bounds.ts';
import { isFixed, listStatements } from '../../query/list-statement.ts';
import type { ListStatement } from '../../query/list-statement.ts';
import { isOpen } from '../../query/projection.ts';
import type { StoreValue } from '../../sql/statement.ts';
import { recordTags } from '../request/entity-tag.ts';
import { keyFromText } from '../request/key.ts';
import { listReaders, readListRequest } from '../request/list-request.ts';
import type { ListOf, ListRequest } from '../request/list-request.ts';
import { KEPT_FORMS, LONGEST_KEPT } from './context.ts';
import type { EndpointContext } from './context.ts';
import { pageReply } from './page-reply.ts';
import type { FinishRecords, PageEnds } from './page-reply.ts';
import { lengthOf, withTag } from './tagged.ts';
import type { Tagged } from './tagged.ts';

/** A parsed list query, with its statement. */
interface ListPlan {
  readonly request: ListRequest;
  readonly statement: ListStatement;
  /** Undefined where they depend on the time, or on the caller. */
  readonly values: readonly StoreValue[] | undefined;
  readonly ends: PageEnds;
}

type ListContext = Pick<EndpointContext, 'graph' | 'store' | 'cursors' | 'tags' | 'lastPages' | 'runtime'>;

/** Answers a list of records, all or some of a model's. `finish` may change their JSON texts. */
export type ListAnswerer = (
  principal: Principal,
  path: string,
  query: string,
  of: ListOf,
  finish?: FinishRecords,
) => Promise<Tagged>;

export function makeListAnswerer(model: Model, context: ListContext): ListAnswerer {
  const { graph, store, cursors, tags, lastPages, runtime } = context;
  const { dialect } = store;
  const ofRecords = recordTags(tags, isOpen(graph, model));
  const listed = { graph, model, bounds: boundsOf(graph, model), dialect };
  const plansOf = memoizeByPermissions((permissions: Permissions) => {
    const readers = listReaders(model, permissions, dialect, cursors);
    const statementOf = listStatements(listed, KEPT_FORMS);
    // The same few queries come again and again: they are parsed once.
    const plans = new LRUCache<string, ListPlan>({ max: KEPT_FORMS });

    return ({ caller }: Principal, path: string, query: string, of: ListOf): ListPlan => {
      const name = `${of.differs ?? ''}${path}?${query}`;
      let plan = plans.get(name);
      if (plan === undefined) {
        const request = readListRequest(model, path, query, graph.service.paging, readers, of);
        const { form, limit } = request;
        const statement = statementOf(form);
        const evaluation = { now: runtime.now(), caller };
        const values = isFixed(form, statement) ? statement.values({ ...evaluation, form, limit }) : undefined;
        plan = { request, statement, values, ends: {} };
        if (name.length <= LONGEST_KEPT) plans.set(name, plan);
      }
      return plan;
    };
  });

  return async (principal, path, query, of, finish) => {
    const plan = plansOf(principal.permissions)(principal, path, query, of);
    const { request, statement, values, ends } = plan;
    const { form, limit } = request;
    if (form.etags === true && finish !== undefined)
      refuseParameters([{ parameter: 'etags', detail: 'these are no records' }]);
    const bound = values ?? statement.values({ now: runtime.now(), caller: principal.caller, form, limit });
    const make = async (): Promise<Tagged> => {
      const row = await store.first(statement, bound, principal.requester);
      if (!row![3]) throw unknownRecord(principal.permissions, modelOf(graph, of.under!.relation.target));
      const page = async (): Promise<Tagged> =>
        withTag(await pageReply(path, request, statement, row!, cursors, ofRecords, ends, runtime.rest, finish), tags);
      return finish === undefined ? lastPages.of(plan, row!, page) : page();
    };
    // What is finished for one reader is theirs alone.
    const answers = finish === undefined ? store.answers : undefined;
    return answers?.of(plan, bound, make, lengthOf) ?? make();
  };
}

/** Answers a list of a model's records: all, or the children of the record with `parentKey`. */
export function makeListReader(
  model: Model,
  context: ListContext,
): (principal: Principal, path: string, query: string, parentKey?: string) => Promise<Tagged> {
  const answer = makeListAnswerer(model, context);
  const { parent } = model;
  const whole = parent === undefined ? undefined : modelOf(context.graph, parent.target);
  return async (principal, path, query, parentKey) => {
    const { permissions } = principal;
    const condition = authorize(permissions, model, 'read');
    if (parent === undefined || parentKey === undefined) return answer(principal, path, query, { condition });
    if (permissions.may(whole!, 'read') === false) throw unknownRecord(permissions, whole!);
    const under = { relation: parent, key: keyFromText(whole!.key, parentKey) };
    return answer(principal, path, query, { condition, under });
  };
}
