import { LRUCache } from 'lru-cache';
import { makeChanges } from '../change/changes.ts';
import type { Moment } from '../change/changes.ts';
import { didYouMean } from '../declaration/nearest.ts';
import type { Field, FieldValue, Graph, Model, Scalar } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { fromText } from '../model/value.ts';
import type { Cursors } from '../query/cursor.ts';
import { formKey, isFixed, listStatement, listValues } from '../query/list-statement.ts';
import type { ListForm, ListStatement } from '../query/list-statement.ts';
import { readStatement } from '../query/statements.ts';
import { pointerTo } from '../rules/failure.ts';
import { bodyReader } from '../rules/schema.ts';
import type { BodyReader, ReadBody } from '../rules/schema.ts';
import { brokenRules, HttpProblem } from './problems.ts';
import type { Statement, Store, StoreValue } from '../store/contract.ts';
import { readBodyOf } from './body.ts';
import type { ClientKind } from './body.ts';
import { clientScope, filterReader } from './filter.ts';
import { readFields, readListRequest } from './list-request.ts';
import type { ListRequest } from './list-request.ts';
import { COMMON_HEADERS, JSON_HEADERS } from './message.ts';
import type { Reply, Request } from './message.ts';
import { pageReply } from './page-reply.ts';
import type { PageEnds } from './page-reply.ts';
import type { ParameterFailure } from './problems.ts';
import { readQuery } from './query.ts';
import { sortReader } from './sort.ts';

/** A model's records over HTTP. Keys come as the text of a path segment, queries without their `?`. */
export interface Resource {
  list(path: string, query: string, parentKey?: string): Promise<Reply>;
  read(keyText: string, query: string): Promise<Reply>;
  create(request: Request, query: string, parentKey?: string): Promise<Reply>;
  change(how: 'replace' | 'update', keyText: string, request: Request, query: string): Promise<Reply>;
  delete(keyText: string, query: string): Promise<Reply>;
}

/** A list's query, understood, and all that it takes to answer it. */
interface ListPlan {
  readonly request: ListRequest;
  readonly statement: ListStatement;
  readonly values: readonly StoreValue[];
  readonly ends: PageEnds;
}

/** Forms of requests whose statements are kept: clients use a few, and a flood of others must not fill the memory. */
const KEPT_FORMS = 500;
/** A query of more characters is no everyday one, and is understood anew each time. */
const LONGEST_KEPT = 1_000;

export function makeResource(graph: Graph, model: Model, store: Store, cursors: Cursors, moment: Moment): Resource {
  const { dialect } = store;
  const { prefix, paging } = graph.service;
  const collection = `${prefix}/${model.plural}`;
  const changes = makeChanges(graph, model, dialect, moment);
  const parent = model.parent === undefined ? undefined : modelOf(graph, model.parent.target);
  const readers: Readonly<Record<ClientKind, BodyReader>> = {
    create: bodyReader(model, 'create'),
    replace: bodyReader(model, 'replace'),
    update: bodyReader(model, 'update'),
  };

  const scope = clientScope(graph, model);
  const listReaders = {
    cursors,
    readFilter: filterReader(graph, model, dialect, scope),
    readSort: sortReader(graph, model, dialect, scope),
  };
  const readWhole = readStatement(model, model.shown, dialect);
  const parentThere = parent === undefined ? undefined : readStatement(parent, [parent.key], dialect);
  const readForms = new LRUCache<string, Statement>({ max: KEPT_FORMS });
  const listForms = new LRUCache<string, ListStatement>({ max: KEPT_FORMS });
  // The same few queries come again and again, to the letter: what they mean needs to be found out once.
  const plans = new LRUCache<string, ListPlan>({ max: KEPT_FORMS });

  const keyOf = (text: string): Scalar => keyFromText(model.key, text);

  function planOf(path: string, query: string, under: ListForm['under']): ListPlan {
    const name = `${path}?${query}`;
    let plan = plans.get(name);
    if (plan === undefined) {
      const request = readListRequest(model, path, query, paging, listReaders, under);
      const key = formKey(request.form);
      let statement = listForms.get(key);
      if (statement === undefined) listForms.set(key, (statement = listStatement(model, request.form, dialect)));
      const values = listValues(statement, request.form, request.limit, dialect, moment.now());
      plan = { request, statement, values, ends: {} };
      if (isFixed(request.form) && name.length <= LONGEST_KEPT) plans.set(name, plan);
    }
    return plan;
  }

  function readStatementOf(query: string): Statement {
    const fields = readRecordFields(model, query);
    const name = fields.map((field) => field.member).join();
    let statement = readForms.get(name);
    if (statement === undefined) readForms.set(name, (statement = readStatement(model, fields, dialect)));
    return statement;
  }

  function readBody(kind: ClientKind, request: Request, add: Record<string, FieldValue> = {}): ReadBody {
    const body = readBodyOf(request, kind);
    const isObject = typeof body === 'object' && body !== null && !Array.isArray(body);
    const read = readers[kind](isObject ? { ...add, ...body } : body);
    // Nobody can have read a record that is only being made: what is not for clients to set is refused at once.
    const refused = kind !== 'create' ? [] : [...read.repeated.keys()].map(({ member }) => notForClients(member));
    if (read.failures.length + refused.length > 0) throw brokenRules([...read.failures, ...refused]);
    return read;
  }

  const written = (status: number, json: string, headers: Record<string, string> = {}): Reply => ({
    status,
    headers: { ...JSON_HEADERS, ...headers },
    body: `{"data":${json}}`,
  });

  return {
    async list(path, query, parentKey) {
      const under =
        parent === undefined || parentKey === undefined
          ? undefined
          : { parent, field: model.parent!.field, key: keyFromText(parent.key, parentKey) };
      const { request, statement, values, ends } = planOf(path, query, under);
      const row = await store.first(statement, values);
      if (!row![3]) throw new HttpProblem('not-found');
      return pageReply(path, request, statement, row!, cursors, ends);
    },

    async read(keyText, query) {
      const key = dialect.bind(model.key, keyOf(keyText));
      const row = await store.first(query === '' ? readWhole : readStatementOf(query), [key]);
      if (row === undefined) throw new HttpProblem('not-found');
      return { status: 200, headers: JSON_HEADERS, body: `{"data":${row[0] as string}}` };
    },

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
      const { json, key } = await store.transaction((transaction) => changes.create(transaction, values));
      return written(201, json, { location: `${collection}/${encodeURIComponent(String(key))}` });
    },

    async change(how, keyText, request, query) {
      refuseQuery(query);
      const key = keyOf(keyText);
      const read = readBody(how, request);
      const body = { ...read, values: await changes.seal(read.values) };
      const { json } = await store.transaction((transaction) => changes.change(transaction, how, key, body));
      return written(200, json);
    },

    async delete(keyText, query) {
      refuseQuery(query);
      const key = keyOf(keyText);
      await store.transaction((transaction) => changes.delete(transaction, key));
      return { status: 204, headers: COMMON_HEADERS };
    },
  };
}

/** A text that can't be a key can't be the key of any record. */
function keyFromText(field: Field, text: string): Scalar {
  const read = fromText(field, text);
  if ('fault' in read) throw new HttpProblem('not-found');
  return read.value as Scalar;
}

/** Which members a read asks for: `fields` is the one parameter that it takes. */
function readRecordFields(model: Model, query: string): readonly Field[] {
  const failures: ParameterFailure[] = [];
  let fields: readonly Field[] = model.shown;
  for (const [name, value] of readQuery(query)) {
    if (name === 'fields') fields = readFields(model, value, failures);
    else failures.push({ parameter: name, detail: `no such parameter; ${didYouMean(name, ['fields'])}` });
  }
  if (failures.length > 0) throw new HttpProblem('invalid-parameter', undefined, { errors: failures });
  return fields;
}

function refuseQuery(query: string): void {
  const errors = readQuery(query).map(([parameter]) => ({ parameter, detail: 'this request takes no parameters' }));
  if (errors.length > 0) throw new HttpProblem('invalid-parameter', undefined, { errors });
}

const notForClients = (member: string) => ({
  pointer: pointerTo(member),
  rule: 'readOnly',
  detail: 'is set by the service alone; leave it out',
});
