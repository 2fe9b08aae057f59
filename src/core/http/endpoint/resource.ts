import type { Principal } from '../../access/principal.ts';
import type { Endpoint } from '../../api/endpoints.ts';
import type { Reply, Request } from '../../api/message.ts';
import type { Model } from '../../model/model.ts';
import type { EndpointContext } from './context.ts';
import { makeDeleteMany } from './delete-many.ts';
import { makeOperation } from './operate.ts';
import { makeJournalReader } from './read-journal.ts';
import { makeListReader } from './read-list.ts';
import { makeRecordReader } from './read-record.ts';
import { unlessKnown } from './tagged.ts';
import { makeRecordWriter } from './write-record.ts';

/** A request for one of a model's endpoints. */
export interface Asked {
  readonly principal: Principal;
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
export function makeResource(model: Model, context: EndpointContext): (endpoint: Endpoint) => Answerer {
  const list = makeListReader(model, context);
  const read = makeRecordReader(model, context);
  const write = makeRecordWriter(model, context);
  return ({ name, operation }) => {
    switch (name) {
      case 'list':
        return async ({ principal, request, path, query, key }) =>
          unlessKnown(request.headers, await list(principal, path, query, key));
      case 'read':
        return ({ principal, request, query, key }) => read(principal, key!, request, query);
      case 'create':
        return ({ principal, request, query, key }) => write.create(principal, request, query, key);
      case 'replace':
      case 'update':
        return ({ principal, request, query, key }) => write.change(principal, name, key!, request, query);
      case 'delete':
        return ({ principal, request, query, key }) => write.delete(principal, key!, request, query);
      case 'clear': {
        const clear = makeDeleteMany(model, context);
        return ({ principal, request, path, query }) => clear(principal, request, path, query);
      }
      case 'journal': {
        const journal = makeJournalReader(model, context);
        return async ({ principal, request, path, query, key }) =>
          unlessKnown(request.headers, await journal(principal, path, query, key));
      }
      case 'operation': {
        const operate = makeOperation(model, operation!, context);
        return ({ principal, request, query, key }) => operate(principal, request, query, key);
      }
    }
  };
}
