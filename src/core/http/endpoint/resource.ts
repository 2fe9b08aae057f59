import type { Asker } from '../../access/principal.ts';
import type { Endpoint } from '../../api/endpoints.ts';
import type { Reply, Request } from '../../api/message.ts';
import type { Model } from '../../model/model.ts';
import type { Serving } from './context.ts';
import { makeClear } from './delete-many.ts';
import { makeOperation } from './operate.ts';
import { makeJournalReader } from './read-journal.ts';
import { makeListReader } from './read-list.ts';
import { makeRecordReader } from './read-record.ts';
import { makeRecordWriter } from './write-record.ts';

/** A request for one of a model's endpoints. */
export interface Asked {
  readonly asker: Asker;
  readonly request: Request;
  readonly path: string;
  /** Without its `?`. */
  readonly query: string;
  /** The text of the key in the path; undefined where it has none. */
  readonly key: string | undefined;
}

/** Answers a request for one endpoint. */
export type Answerer = (asked: Asked) => Promise<Reply>;

/** What answers at a model's endpoints. */
export function makeResource(model: Model, serving: Serving): (endpoint: Endpoint) => Answerer {
  const list = makeListReader(model, serving);
  const read = makeRecordReader(model, serving);
  const write = makeRecordWriter(model, serving);
  return ({ name, operation }) => {
    switch (name) {
      case 'list':
        return ({ asker, path, query, key }) => list(asker, path, query, key);
      case 'read':
        return ({ asker, request, query, key }) => read(asker, key!, request, query);
      case 'create':
        return ({ asker, request, query, key }) => write.create(asker, request, query, key);
      case 'replace':
      case 'update':
        return ({ asker, request, query, key }) => write.change(asker, name, key!, request, query);
      case 'delete':
        return ({ asker, request, query, key }) => write.delete(asker, key!, request, query);
      case 'clear': {
        const clear = makeClear(model, serving);
        return ({ asker, request, path, query }) => clear(asker, request, path, query);
      }
      case 'journal': {
        const journal = makeJournalReader(model, serving);
        return ({ asker, path, query, key }) => journal(asker, path, query, key);
      }
      case 'operation': {
        const operate = makeOperation(model, operation!, serving);
        return ({ asker, request, query, key }) => operate(asker, request, query, key);
      }
    }
  };
}
