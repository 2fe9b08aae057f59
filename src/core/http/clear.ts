import { mayBoth } from '../access/sight.ts';
import type { Sight } from '../access/sight.ts';
import { bySight } from '../access/sight.ts';
import type { FieldValue, Model } from '../model/graph.ts';
import { boundsOf } from '../query/bounds.ts';
import { listStatement, listValues } from '../query/list-statement.ts';
import type { ListForm } from '../query/list-statement.ts';
import { fieldShown } from '../query/shown.ts';
import { admit } from './admission.ts';
import type { Asker } from './admission.ts';
import { listParameters, listReaders, readListRequest } from './list-request.ts';
import { JSON_HEADERS } from './message.ts';
import type { Reply, Request } from './message.ts';
import { HttpProblem, refuseParameters } from './problems.ts';
import { readQuery } from './query.ts';
import type { Serving } from './serving.ts';

/** The parameters of lists that a delete of many takes too, beside `<field>=value`. */
export const CLEAR_PARAMETERS = ['filter', 'filter-lang'] as const;

/** Deletes the records that a query asks for, and that the caller may read and delete: all of them, or none. It never deletes everything. */
export function makeClear(
  model: Model,
  { graph, store, cursors, writes, answer }: Serving,
): (asker: Asker, request: Request, path: string, query: string) => Promise<Reply> {
  const { dialect } = store;
  const readersOf = bySight((sight: Sight) => listReaders(model, sight, dialect, cursors));
  const listed = { graph, model, bounds: boundsOf(graph, model), dialect };
  const most = graph.service.limits.cascade;
  const changes = writes.changesOf(model);

  function formOf(sight: Sight, path: string, query: string): ListForm {
    const names = readQuery(query).map(([name]) => name);
    const ofLists: readonly string[] = listParameters;
    const strange = names.filter((name) => ofLists.includes(name) && !(CLEAR_PARAMETERS as readonly string[]).includes(name)); // prettier-ignore
    refuseParameters(strange.map((parameter) => ({ parameter, detail: 'is for lists; a delete of many takes filter and <field>=value' }))); // prettier-ignore
    const condition = mayBoth(sight, model, 'clear');
    const { form } = readListRequest(model, path, query, graph.service.paging, readersOf(sight), { condition });
    // Every name that is left narrows it down.
    if (names.length === 0) {
      const detail = 'say which records, with a filter or a <field>=value: everything is never deleted at once';
      refuseParameters([{ parameter: 'filter', detail }]);
    }
    const byKey = [{ field: model.key, descending: false }];
    return { ...form, shown: [fieldShown(model.key)], sort: byKey };
  }

  return async (asker, request, path, query) => {
    admit(asker.sight, model, 'clear');
    const form = formOf(asker.sight, path, query);
    const statement = listStatement(listed, form);
    return answer(asker, request, async (work) => {
      const occasion = { now: work.now(), caller: work.caller };
      const row = await work.transaction.first(statement, listValues(statement, form, most, dialect, occasion));
      const found = JSON.parse(`[${String(row![0] ?? '')}]`) as Record<string, FieldValue>[];
      if (found.length > most)
        throw new HttpProblem('too-many-at-once', `more than ${most} records; narrow the filter`);
      let deleted = 0;
      for (const { [model.key.member]: key } of found) deleted += (await isDeleted(() => changes.delete(work, key as string))) ? 1 : 0; // prettier-ignore
      return { status: 200, headers: JSON_HEADERS, body: JSON.stringify({ data: { deleted } }) };
    });
  };
}

/** One may have gone along with another, or at somebody else's hands. */
async function isDeleted(remove: () => Promise<void>): Promise<boolean> {
  try {
    await remove();
    return true;
  } catch (error) {
    if (error instanceof HttpProblem && error.problem === 'not-found') return false;
    throw error;
  }
}
