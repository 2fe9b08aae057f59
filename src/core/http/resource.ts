import type { Model } from '../model/graph.ts';
import { makeClear } from './clear.ts';
import type { Endpoint } from './endpoints.ts';
import type { Reply, Request } from './message.ts';
import { makeOperation } from './operate.ts';
import { makeJournalReader } from './read-journal.ts';
import { makeListReader } from './read-list.ts';
import { makeRecordReader } from './read-record.ts';
import type { Serving } from './serving.ts';
import { makeRecordWriter } from './write-record.ts';

/** A request for one of a model's endpoints. */
export interface Asked {
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
        return ({ path, query, key }) => list(path, query, key);
      case 'read':
        return ({ request, query, key }) => read(key!, request, query);
      case 'create':
        return ({ request, query, key }) => write.create(request, query, key);
      case 'replace':
      case 'update':
        return ({ request, query, key }) => write.change(name, key!, request, query);
      case 'delete':
        return ({ request, query, key }) => write.delete(key!, request, query);
      case 'clear': {
        const clear = makeClear(model, serving);
        return ({ request, path, query }) => clear(request, path, query);
      }
      case 'journal': {
        const journal = makeJournalReader(model, serving);
        return ({ path, query, key }) => journal(path, query, key);
      }
      case 'operation': {
        const operate = makeOperation(model, operation!, serving);
        return ({ request, query, key }) => operate(request, query, key);
      }
    }
  };
}
