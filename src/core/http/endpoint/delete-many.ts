import { authorize } from '../../access/authorization.ts';
import { mayBoth, memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import { JSON_HEADERS } from '../../api/message.ts';
import type { Reply, Request } from '../../api/message.ts';
import { listParameters } from '../../api/parameters.ts';
import { HttpProblem, refuseParameters } from '../../api/problems.ts';
import { evaluationOf } from '../../change/unit-of-work.ts';
import type { UnitOfWork } from '../../change/unit-of-work.ts';
import type { Graph } from '../../model/graph.ts';
import { rising } from '../../model/indexes.ts';
import { keyFields } from '../../model/joined-key.ts';
import type { Model } from '../../model/model.ts';
import type { FieldValue, Scalar } from '../../model/scalar.ts';
import { boundsOf } from '../../query/bounds.ts';
import type { ListForm } from '../../query/list-form.ts';
import { listStatement } from '../../query/list-statement.ts';
import { projectedField } from '../../query/projection.ts';
import type { Dialect } from '../../sql/dialect.ts';
import { parametersOf } from '../../sql/parameters.ts';
import type { Statement } from '../../sql/statement.ts';
import { fieldIs, fieldIsAmong } from '../../sql/stored.ts';
import { listReaders, readListRequest } from '../request/list-request.ts';
import type { ListReaders } from '../request/list-request.ts';
import { readQuery } from '../request/query.ts';
import type { EndpointContext } from './context.ts';

/** The parameters of lists that a delete of many takes too, beside `<field>=value`. */
export const DELETE_MANY_PARAMETERS = ['filter', 'filter-lang'] as const;

/** What a delete of many records needs. */
interface DeleteManyParts {
  readonly model: Model;
  readonly graph: Graph;
  readonly readersOf: (permissions: Permissions) => ListReaders;
  readonly dialect: Dialect;
}

/**
 * Deletes the records that a query selects, and that the caller may read and delete: all of them, or none. It needs a
 * condition.
 */
export function makeDeleteMany(
  model: Model,
  { graph, store, cursors, writes, answer, runtime }: EndpointContext,
): (principal: Principal, request: Request, path: string, query: string) => Promise<Reply> {
  const { dialect } = store;
  const readersOf = memoizeByPermissions((permissions: Permissions) =>
    listReaders(model, permissions, dialect, cursors),
  );
  const listed = { graph, model, bounds: boundsOf(graph, model), dialect };
  const most = graph.service.limits.cascade;
  const changes = writes.changesOf(model);

  const parts: DeleteManyParts = { model, graph, readersOf, dialect };
  return async (principal, request, path, query) => {
    authorize(principal.permissions, model, 'clear');
    const form = formOf(parts, principal.permissions, path, query);
    const statement = listStatement(listed, form);
    // They are searched like a list, outside of the transaction: a long search blocks no writer.
    const evaluation = { now: runtime.now(), caller: principal.caller };
    const row = await store.first(
      statement,
      statement.values({ ...evaluation, form, limit: most }),
      principal.requester,
    );
    const found = JSON.parse(`[${String(row![0] ?? '')}]`) as Record<string, FieldValue>[];
    if (found.length > most) throw new HttpProblem('too-many-at-once', `more than ${most} records; narrow the filter`);
    const stillMatches = matcher(parts, form);
    return answer(principal, request, async (work) => {
      let deleted = 0;
      for (const { [model.key.member]: key } of found) {
        const remove = async (): Promise<boolean> => {
          // Locked first, so that it does not change between the check and the delete.
          await changes.lock(work, key as Scalar);
          if (!(await stillMatches(work, key as Scalar))) return false;
          await changes.delete(work, key as Scalar);
          return true;
        };
        deleted += (await unlessGone(remove)) ? 1 : 0;
      }
      return { status: 200, headers: JSON_HEADERS, body: JSON.stringify({ data: { deleted } }) };
    });
  };
}

function formOf(
  { model, graph, readersOf }: DeleteManyParts,
  permissions: Permissions,
  path: string,
  query: string,
): ListForm {
  const names = readQuery(query).map(([name]) => name);
  const ofLists: readonly string[] = listParameters;
  const strange = names.filter(
    (name) => ofLists.includes(name) && !(DELETE_MANY_PARAMETERS as readonly string[]).includes(name),
  );
  refuseParameters(
    strange.map((parameter) => ({
      parameter,
      detail: 'is for lists; a delete of many takes filter and <field>=value',
    })),
  );
  const condition = mayBoth(permissions, model, 'clear');
  const { form } = readListRequest(model, path, query, graph.service.paging, readersOf(permissions), { condition });
  // All remaining parameters are conditions.
  if (names.length === 0) {
    const detail = 'say which records, with a filter or a <field>=value: everything is never deleted at once';
    refuseParameters([{ parameter: 'filter', detail }]);
  }
  return { ...form, projection: [projectedField(model.key)], sort: rising(keyFields(model)) };
}

/** Checks that a record still matches a list, with its grants. */
function matcher(
  { dialect, model }: DeleteManyParts,
  { filter, filters, parameters: own }: ListForm,
): (work: UnitOfWork, key: Scalar) => Promise<boolean> {
  const { name } = dialect;
  const table = name(model.table);
  const parameters = parametersOf<{ readonly key: Scalar }>(dialect, own.count);
  const conditions = filters.map(({ field, values }) => {
    const wanted = values.map((value) => parameters.constant(dialect.bind(field, value)));
    return fieldIsAmong(dialect, field, wanted, table);
  });
  if (filter !== undefined) conditions.unshift(filter.sql);
  const wanted = parameters.bind(({ key }) => dialect.bind(model.key, key));
  conditions.push(fieldIs(dialect, model.key, wanted, table));
  const statement: Statement = { sql: `SELECT 1 FROM ${table} WHERE ${conditions.join(' AND ')}` };
  return async (work, key) => {
    const bound = [...own.values(evaluationOf(work)), ...parameters.values({ key })];
    return (await work.transaction.first(statement, bound)) !== undefined;
  };
}

/** A record may have been deleted meanwhile, by a cascade or by another request. */
async function unlessGone(remove: () => Promise<boolean>): Promise<boolean> {
  try {
    return await remove();
  } catch (error) {
    if (error instanceof HttpProblem && error.problem === 'not-found') return false;
    throw error;
  }
}
