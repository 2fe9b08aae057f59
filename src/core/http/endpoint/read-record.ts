import { LRUCache } from 'lru-cache';
import { authorize, unknownRecord } from '../../access/authorization.ts';
import { memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import { JSON_HEADERS } from '../../api/message.ts';
import type { Reply, Request } from '../../api/message.ts';
import { projectionParameters } from '../../api/parameters.ts';
import type { ProjectionParameters } from '../../api/parameters.ts';
import { refuseParameters } from '../../api/problems.ts';
import type { ParameterFailure } from '../../api/problems.ts';
import type { Model } from '../../model/model.ts';
import { maskProjection } from '../../query/mask-projection.ts';
import { isOpen, wholeOf } from '../../query/projection.ts';
import { projectionStatement } from '../../query/statements.ts';
import type { ProjectionStatement } from '../../query/statements.ts';
import { didYouMean } from '../../text/nearest.ts';
import { recordTags } from '../request/entity-tag.ts';
import { keyFromText } from '../request/key.ts';
import { projectionReader } from '../request/projection-parameters.ts';
import { addParameter, readQuery } from '../request/query.ts';
import { KEPT_FORMS, LONGEST_KEPT } from './context.ts';
import type { EndpointContext } from './context.ts';
import { lengthOf, unlessKnown } from './tagged.ts';
import type { Tagged } from './tagged.ts';

/** Answers a read of one record, by the text of a path segment. */
export type RecordReader = (principal: Principal, keyText: string, request: Request, query: string) => Promise<Reply>;

export function makeRecordReader(model: Model, { graph, store, tags, runtime }: EndpointContext): RecordReader {
  const { dialect } = store;
  const open = isOpen(graph, model);
  const { tagOf } = recordTags(tags, open);
  const statementsOf = memoizeByPermissions((permissions: Permissions) => {
    const guard = permissions.may(model, 'read');
    const readProjection = projectionReader(permissions, model, 'default');
    const whole = maskProjection(permissions, model, wholeOf(graph, model));
    const readWhole = projectionStatement(graph, model, whole, dialect, { whole: !open, guard });
    const forms = new LRUCache<string, ProjectionStatement>({ max: KEPT_FORMS });

    return (query: string): ProjectionStatement => {
      if (query === '') return readWhole;
      let statement = forms.get(query);
      if (statement === undefined) {
        const failures: ParameterFailure[] = [];
        const projection = readProjection(readParameters(query, failures), 1, failures);
        refuseParameters(failures);
        statement = projectionStatement(graph, model, projection, dialect, { whole: true, guard });
        if (query.length <= LONGEST_KEPT) forms.set(query, statement);
      }
      return statement;
    };
  });

  return async ({ caller, permissions, requester }, keyText, { headers }, query) => {
    authorize(permissions, model, 'read');
    const key = dialect.bind(model.key, keyFromText(model.key, keyText));
    const statement = statementsOf(permissions)(query);
    const bound = [key, ...statement.values({ now: runtime.now(), caller })];
    const make = async (): Promise<Tagged> => {
      const row = await store.first(statement, bound, requester);
      if (row === undefined) throw unknownRecord(permissions, model);
      const etag = tagOf(row[0] as string, row[1] as string | undefined);
      return { status: 200, headers: { ...JSON_HEADERS, etag }, body: `{"data":${row[0] as string}}` };
    };
    return unlessKnown(headers, await (store.answers?.of(statement, bound, make, lengthOf) ?? make()));
  };
}

function readParameters(query: string, failures: ParameterFailure[]): ProjectionParameters {
  const given = new Map<string, string>();
  for (const [name, value] of readQuery(query)) {
    const known = (projectionParameters as readonly string[]).includes(name);
    if (!known)
      failures.push({ parameter: name, detail: `no such parameter; ${didYouMean(name, projectionParameters)}` });
    addParameter(given, name, value, failures);
  }
  return Object.fromEntries(given);
}
