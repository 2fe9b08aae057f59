import { LRUCache } from 'lru-cache';
import { admit, unknownRecord } from '../../access/authorization.ts';
import type { Asker } from '../../access/principal.ts';
import { bySight } from '../../access/sight.ts';
import type { Sight } from '../../access/sight.ts';
import { COMMON_HEADERS, JSON_HEADERS } from '../../api/message.ts';
import type { Reply, Request } from '../../api/message.ts';
import { shownParameters } from '../../api/parameters.ts';
import type { ShownParameters } from '../../api/parameters.ts';
import { refuseParameters } from '../../api/problems.ts';
import type { ParameterFailure } from '../../api/problems.ts';
import type { Model } from '../../model/model.ts';
import { seenBy } from '../../query/mask.ts';
import { isOpen, wholeOf } from '../../query/shown.ts';
import { shownStatement } from '../../query/statements.ts';
import type { ShownStatement } from '../../query/statements.ts';
import { didYouMean } from '../../text/nearest.ts';
import { isNamed, recordTags } from '../request/entity-tag.ts';
import { keyFromText } from '../request/key.ts';
import { shownReader } from '../request/projection.ts';
import { readQuery } from '../request/query.ts';
import { KEPT_FORMS, LONGEST_KEPT } from './context.ts';
import type { Serving } from './context.ts';

/** Answers a read of one record, by the text of a path segment. */
export type RecordReader = (asker: Asker, keyText: string, request: Request, query: string) => Promise<Reply>;

export function makeRecordReader(model: Model, { graph, store, tags, moment }: Serving): RecordReader {
  const { dialect } = store;
  const open = isOpen(graph, model);
  const { tagOf } = recordTags(tags, open);
  const statementsOf = bySight((sight: Sight) => {
    const guard = sight.may(model, 'read');
    const readShown = shownReader(sight, model, 'default');
    const whole = seenBy(sight, model, wholeOf(graph, model));
    const readWhole = shownStatement(graph, model, whole, dialect, { whole: !open, guard });
    const forms = new LRUCache<string, ShownStatement>({ max: KEPT_FORMS });

    return (query: string): ShownStatement => {
      if (query === '') return readWhole;
      let statement = forms.get(query);
      if (statement === undefined) {
        const failures: ParameterFailure[] = [];
        const shown = readShown(readParameters(query, failures), 1, failures);
        refuseParameters(failures);
        statement = shownStatement(graph, model, shown, dialect, { whole: true, guard });
        if (query.length <= LONGEST_KEPT) forms.set(query, statement);
      }
      return statement;
    };
  });

  return async ({ caller, sight, requester }, keyText, { headers }, query) => {
    admit(sight, model, 'read');
    const key = dialect.bind(model.key, keyFromText(model.key, keyText));
    const statement = statementsOf(sight)(query);
    const row = await store.first(statement, [key, ...statement.values({ now: moment.now(), caller })], requester);
    if (row === undefined) throw unknownRecord(sight, model);
    const etag = tagOf(row[0] as string, row[1] as string | undefined);
    if (isNamed(headers['if-none-match'], etag)) return { status: 304, headers: { ...COMMON_HEADERS, etag } };
    return { status: 200, headers: { ...JSON_HEADERS, etag }, body: `{"data":${row[0] as string}}` };
  };
}

function readParameters(query: string, failures: ParameterFailure[]): ShownParameters {
  const given = new Map<string, string>();
  for (const [name, value] of readQuery(query)) {
    const known = (shownParameters as readonly string[]).includes(name);
    if (!known) failures.push({ parameter: name, detail: `no such parameter; ${didYouMean(name, shownParameters)}` });
    else if (given.has(name)) failures.push({ parameter: name, detail: 'must be given once' });
    given.set(name, value);
  }
  return Object.fromEntries(given);
}
