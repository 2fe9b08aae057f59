import { LRUCache } from 'lru-cache';
import { makeChanges } from '../change/changes.ts';
import type { Moment, Written } from '../change/changes.ts';
import { didYouMean } from '../declaration/nearest.ts';
import type { Field, FieldValue, Graph, Model, Scalar } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { fromText } from '../model/value.ts';
import type { Cursors } from '../query/cursor.ts';
import { formKey, isFixed, listStatement, listValues } from '../query/list-statement.ts';
import type { ListForm, ListStatement } from '../query/list-statement.ts';
import { boundsOf } from '../query/bounds.ts';
import { isStored, wholeOf } from '../query/shown.ts';
import { readStatement, shownStatement } from '../query/statements.ts';
import type { ShownStatement } from '../query/statements.ts';
import { pointerTo } from '../rules/failure.ts';
import { bodyReader } from '../rules/schema.ts';
import type { BodyReader, ReadBody } from '../rules/schema.ts';
import { brokenRules, HttpProblem, refuseParameters } from './problems.ts';
import type { Store, StoreValue, Transaction } from '../store/contract.ts';
import { readBodyOf } from './body.ts';
import type { ClientKind } from './body.ts';
import { clientScope, filterReader } from './filter.ts';
import { isNamed } from './entity-tag.ts';
import type { EntityTags } from './entity-tag.ts';
import { readListRequest } from './list-request.ts';
import type { ListRequest } from './list-request.ts';
import { COMMON_HEADERS, JSON_HEADERS } from './message.ts';
import type { Reply, Request } from './message.ts';
import { pageReply } from './page-reply.ts';
import type { PageEnds } from './page-reply.ts';
import type { ParameterFailure } from './problems.ts';
import { readQuery } from './query.ts';
import { shownParameters, shownReader } from './shown.ts';
import type { ShownParameters } from './shown.ts';
import { sortReader } from './sort.ts';

/** A model's records over HTTP. Keys come as the text of a path segment, queries without their `?`. */
export interface Resource {
  list(path: string, query: string, parentKey?: string): Promise<Reply>;
  read(keyText: string, request: Request, query: string): Promise<Reply>;
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

/** What the records of all models are served with. */
export interface Serving {
  readonly graph: Graph;
  readonly store: Store;
  readonly cursors: Cursors;
  readonly tags: EntityTags;
  readonly moment: Moment;
}

export function makeResource(model: Model, { graph, store, cursors, tags, moment }: Serving): Resource {
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
    readShown: shownReader(graph, model, model.listView),
  };
  const listed = { graph, model, bounds: boundsOf(graph, model), dialect };
  const readShown = shownReader(graph, model, 'default');
  const whole = wholeOf(graph, model);
  // Such a record's whole state is what everybody sees of it.
  const isOpen = isStored(whole) && whole.length === model.fields.length;
  const readWhole = shownStatement(graph, model, whole, dialect, !isOpen);
  const parentThere = parent === undefined ? undefined : readStatement(parent, [parent.key], dialect);
  const readForms = new LRUCache<string, ShownStatement>({ max: KEPT_FORMS });
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
      if (statement === undefined) listForms.set(key, (statement = listStatement(listed, request.form)));
      const values = listValues(statement, request.form, request.limit, dialect, moment.now());
      plan = { request, statement, values, ends: {} };
      if (isFixed(request.form, statement) && name.length <= LONGEST_KEPT) plans.set(name, plan);
    }
    return plan;
  }

  function readStatementOf(query: string): ShownStatement {
    let statement = readForms.get(query);
    if (statement === undefined) {
      const failures: ParameterFailure[] = [];
      const shown = readShown(readShownParameters(query, failures), 1, failures);
      refuseParameters(failures);
      statement = shownStatement(graph, model, shown, dialect, true);
      if (query.length <= LONGEST_KEPT) readForms.set(query, statement);
    }
    return statement;
  }

  /** `version` and the mark of the answer: what two clients see may differ while the record is the same. */
  function tagOf(shown: string, stored: string | undefined): string {
    const mark = tags.mark(shown);
    const version = stored === undefined ? mark : isOpen ? tags.mark(stored) : tags.hiddenMark(stored);
    return `"${version}-${mark}"`;
  }

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

    async read(keyText, { headers }, query) {
      const key = dialect.bind(model.key, keyOf(keyText));
      const statement = query === '' ? readWhole : readStatementOf(query);
      const row = await store.first(statement, [key, ...statement.values(moment.now())]);
      if (row === undefined) throw new HttpProblem('not-found');
      const etag = tagOf(row[0] as string, row[1] as string | undefined);
      if (isNamed(headers['if-none-match'], etag)) return { status: 304, headers: { ...COMMON_HEADERS, etag } };
      return { status: 200, headers: { ...JSON_HEADERS, etag }, body: `{"data":${row[0] as string}}` };
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
      const { json, key } = await write((transaction) => changes.create(transaction, values));
      return written(201, json, { location: `${collection}/${encodeURIComponent(String(key))}` });
    },

    async change(how, keyText, request, query) {
      refuseQuery(query);
      const key = keyOf(keyText);
      const read = readBody(how, request);
      const body = { ...read, values: await changes.seal(read.values) };
      const { json } = await write((transaction) => changes.change(transaction, how, key, body));
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

/** What a read asks for. */
function readShownParameters(query: string, failures: ParameterFailure[]): ShownParameters {
  const given: Record<string, string> = {};
  for (const [name, value] of readQuery(query)) {
    const known = (shownParameters as readonly string[]).includes(name);
    if (!known) failures.push({ parameter: name, detail: `no such parameter; ${didYouMean(name, shownParameters)}` });
    else if (given[name] !== undefined) failures.push({ parameter: name, detail: 'must be given once' });
    given[name] = value;
  }
  return given;
}

function refuseQuery(query: string): void {
  refuseParameters(readQuery(query).map(([parameter]) => ({ parameter, detail: 'this request takes no parameters' })));
}

const notForClients = (member: string) => ({
  pointer: pointerTo(member),
  rule: 'readOnly',
  detail: 'is set by the service alone; leave it out',
});
