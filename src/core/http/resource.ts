import { makeChanges } from '../change/changes.ts';
import type { Written } from '../change/changes.ts';
import type { FieldValue, Model, Scalar } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { readStatement } from '../query/statements.ts';
import { pointerTo } from '../rules/failure.ts';
import { bodyReader } from '../rules/schema.ts';
import type { BodyReader, ReadBody } from '../rules/schema.ts';
import type { Transaction } from '../store/contract.ts';
import { readBodyOf } from './body.ts';
import type { ClientKind } from './body.ts';
import { keyFromText } from './key.ts';
import { COMMON_HEADERS, JSON_HEADERS } from './message.ts';
import type { Reply, Request } from './message.ts';
import { brokenRules, HttpProblem, refuseParameters } from './problems.ts';
import { readQuery } from './query.ts';
import { makeListReader } from './read-list.ts';
import { makeRecordReader } from './read-record.ts';
import type { Serving } from './serving.ts';

/** A model's records over HTTP. Keys come as the text of a path segment, queries without their `?`. */
export interface Resource {
  list(path: string, query: string, parentKey?: string): Promise<Reply>;
  read(keyText: string, request: Request, query: string): Promise<Reply>;
  create(request: Request, query: string, parentKey?: string): Promise<Reply>;
  change(how: 'replace' | 'update', keyText: string, request: Request, query: string): Promise<Reply>;
  delete(keyText: string, query: string): Promise<Reply>;
}

export function makeResource(model: Model, serving: Serving): Resource {
  const { graph, store, moment } = serving;
  const { dialect } = store;
  const collection = `${graph.service.prefix}/${model.plural}`;
  const changes = makeChanges(graph, model, dialect, moment);
  const parent = model.parent === undefined ? undefined : modelOf(graph, model.parent.target);
  const readers: Readonly<Record<ClientKind, BodyReader>> = {
    create: bodyReader(model, 'create'),
    replace: bodyReader(model, 'replace'),
    update: bodyReader(model, 'update'),
  };

  const parentThere = parent === undefined ? undefined : readStatement(parent, [parent.key], dialect);

  function readBody(kind: ClientKind, request: Request, add: Record<string, FieldValue> = {}): ReadBody {
    const body = readBodyOf(request, kind);
    const isObject = typeof body === 'object' && body !== null && !Array.isArray(body);
    const read = readers[kind](isObject ? { ...add, ...body } : body);
    // Nobody can have read a record that is only being made: what is not for clients to set is refused at once.
    const given = [...[...read.repeated.keys()].map(({ member }) => member), ...read.derived.keys()];
    const refused = kind !== 'create' ? [] : given.map(notForClients);
    if (read.failures.length + refused.length > 0) throw brokenRules([...read.failures, ...refused]);
    return read;
  }

  /** One transaction, which also looks at what its answer shows. */
  const write = (work: (transaction: Transaction) => Promise<Written>): Promise<{ key: Scalar; json: string }> =>
    store.transaction(async (transaction) => {
      const { key, json } = await work(transaction);
      return { key, json: json ?? (await changes.shown(transaction, key)) };
    });

  const written = (status: number, json: string, headers: Record<string, string> = {}): Reply => ({
    status,
    headers: { ...JSON_HEADERS, ...headers },
    body: `{"data":${json}}`,
  });

  return {
    list: makeListReader(model, serving),
    read: makeRecordReader(model, serving),

    async create(request, query, parentKey) {
      refuseQuery(query);
      let add: Record<string, FieldValue> = {};
      if (parent !== undefined && parentKey !== undefined) {
        const { member } = model.parent!.field;
        add = { [member]: keyFromText(parent.key, parentKey) };
        const found = await store.first(parentThere!, [dialect.bind(parent.key, add[member]!)]);
        if (found === undefined) throw new HttpProblem('not-found');
      }
      const body = readBody('create', request, add);
      for (const [member, value] of Object.entries(add)) {
        if (body.values[member] === value) continue;
        const detail = `the path says ${JSON.stringify(value)}; leave it out of the body`;
        throw brokenRules([{ pointer: pointerTo(member), rule: 'immutable', detail }]);
      }
      const values = await changes.seal(body.values);
      const { json, key } = await write((transaction) => changes.create(transaction, values));
      return written(201, json, { location: `${collection}/${encodeURIComponent(String(key))}` });
    },

    async change(how, keyText, request, query) {
      refuseQuery(query);
      const key = keyFromText(model.key, keyText);
      const read = readBody(how, request);
      const body = { ...read, values: await changes.seal(read.values) };
      const { json } = await write((transaction) => changes.change(transaction, how, key, body));
      return written(200, json);
    },

    async delete(keyText, query) {
      refuseQuery(query);
      const key = keyFromText(model.key, keyText);
      await store.transaction((transaction) => changes.delete(transaction, key));
      return { status: 204, headers: COMMON_HEADERS };
    },
  };
}

function refuseQuery(query: string): void {
  refuseParameters(readQuery(query).map(([parameter]) => ({ parameter, detail: 'this request takes no parameters' })));
}

const notForClients = (member: string) => ({
  pointer: pointerTo(member),
  rule: 'readOnly',
  detail: 'is set by the service alone; leave it out',
});
