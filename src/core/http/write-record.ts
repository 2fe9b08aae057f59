import type { Written } from '../change/contract.ts';
import type { Work } from '../change/work.ts';
import type { FieldValue, Model } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { isOpen } from '../query/shown.ts';
import { readStatement } from '../query/statements.ts';
import type { Failure } from '../rules/failure.ts';
import { pointerTo } from '../rules/failure.ts';
import { bodyReader } from '../rules/schema.ts';
import type { BodyReader, ReadBody, Values } from '../rules/schema.ts';
import { JSON_PATCH, mediaTypeOf, readBodyOf } from './body.ts';
import type { ClientKind } from './body.ts';
import { guardOf } from './condition.ts';
import { recordTags } from './entity-tag.ts';
import { patchedMembers, readPatch } from './json-patch.ts';
import { keyFromText } from './key.ts';
import { COMMON_HEADERS, JSON_HEADERS } from './message.ts';
import type { Reply, Request } from './message.ts';
import { applied, preferredReturn } from './prefer.ts';
import { brokenRules, HttpProblem } from './problems.ts';
import { refuseQuery } from './query.ts';
import type { Serving } from './serving.ts';

/** Writes of a model's records over HTTP. Keys come as the text of a path segment, queries without their `?`. */
export interface RecordWriter {
  create(request: Request, query: string, parentKey?: string): Promise<Reply>;
  change(how: 'replace' | 'update', keyText: string, request: Request, query: string): Promise<Reply>;
  delete(keyText: string, request: Request, query: string): Promise<Reply>;
}

/** So many records may be made by one request. */
const MOST_AT_ONCE = 10_000;

export function makeRecordWriter(model: Model, serving: Serving): RecordWriter {
  const { graph, store, writes, answer } = serving;
  const { dialect } = store;
  const collection = `${graph.service.prefix}/${model.plural}`;
  const changes = writes.changesOf(model);
  const tags = recordTags(serving.tags, isOpen(graph, model));
  const parent = model.parent === undefined ? undefined : modelOf(graph, model.parent.target);
  const parentThere = parent === undefined ? undefined : readStatement(parent, [parent.key], dialect);
  const readers: Readonly<Record<ClientKind, BodyReader>> = {
    create: bodyReader(model, 'create'),
    replace: bodyReader(model, 'replace'),
    update: bodyReader(model, 'update'),
  };

  /** What a client gives of a new record, with what the path says of it; pointers go on from `prefix`. */
  function readNew(body: unknown, add: Readonly<Record<string, FieldValue>>, prefix: string): Read {
    const isObject = typeof body === 'object' && body !== null && !Array.isArray(body);
    const read = readers.create(isObject ? { ...add, ...body } : body);
    // Nobody can have read a record that is only being made: what is not for clients to set is refused at once.
    const given = [...[...read.repeated.keys()].map(({ member }) => member), ...read.derived.keys()];
    const failures: Failure[] = [...read.failures, ...given.map(notForClients)];
    for (const [member, value] of Object.entries(add)) {
      if (read.values[member] === value) continue;
      const detail = `the path says ${JSON.stringify(value)}; leave it out of the body`;
      failures.push({ pointer: pointerTo(member), rule: 'immutable', detail });
    }
    return { values: read.values, failures: failures.map((one) => ({ ...one, pointer: prefix + one.pointer })) };
  }

  async function shownOf(work: Work, { key, texts }: Written): Promise<{ shown: string; etag: string }> {
    const { shown, stored } = texts ?? (await changes.shown(work, key));
    return { shown, etag: tags.tagOf(shown, stored) };
  }

  const pathOf = ({ key }: Written): string => `${collection}/${encodeURIComponent(String(key))}`;

  async function created(work: Work, one: Written, request: Request): Promise<Reply> {
    const { shown, etag } = await shownOf(work, one);
    const headers = { location: pathOf(one), etag };
    if (preferredReturn(request) !== 'minimal') {
      return { status: 201, headers: { ...JSON_HEADERS, ...headers }, body: `{"data":${shown}}` };
    }
    return { status: 201, headers: { ...COMMON_HEADERS, ...headers, ...applied('minimal') } };
  }

  async function createdAll(work: Work, all: readonly Written[], request: Request): Promise<Reply> {
    if (preferredReturn(request) === 'minimal')
      return { status: 201, headers: { ...COMMON_HEADERS, ...applied('minimal') } };
    const texts: string[] = [];
    for (const one of all) texts.push((await shownOf(work, one)).shown);
    return { status: 201, headers: JSON_HEADERS, body: `{"data":[${texts.join(',')}]}` };
  }

  return {
    async create(request, query, parentKey) {
      refuseQuery(query);
      let add: Record<string, FieldValue> = {};
      if (parent !== undefined && parentKey !== undefined) {
        const { member } = model.parent!.field;
        add = { [member]: keyFromText(parent.key, parentKey) };
        const found = await store.first(parentThere!, [dialect.bind(parent.key, add[member]!)]);
        if (found === undefined) throw new HttpProblem('not-found');
      }
      const body = readBodyOf(request, 'create');
      if (!Array.isArray(body)) {
        const { values, failures } = readNew(body, add, '');
        if (failures.length > 0) throw brokenRules(failures);
        const sealed = await changes.seal(values);
        return answer(request, async (work) => created(work, await changes.create(work, sealed), request));
      }
      if (body.length === 0) {
        throw brokenRules([{ pointer: '', rule: 'minItems', detail: 'give at least one record' }]);
      }
      if (body.length > MOST_AT_ONCE) {
        const detail = `has ${body.length} records; ${MOST_AT_ONCE} is the most`;
        throw brokenRules([{ pointer: '', rule: 'maxItems', detail }]);
      }
      const read = body.map((one: unknown, at) => readNew(one, add, pointerTo(at)));
      const failures = read.flatMap((one) => one.failures);
      if (failures.length > 0) throw brokenRules(failures, 'The records break');
      const sealed: Values[] = [];
      for (const { values } of read) sealed.push(await changes.seal(values));
      return answer(request, async (work) => {
        const all: Written[] = [];
        for (const [at, values] of sealed.entries()) all.push(await inPlace(at, changes.create(work, values)));
        return createdAll(work, all, request);
      });
    },

    async change(how, keyText, request, query) {
      refuseQuery(query);
      const key = keyFromText(model.key, keyText);
      const guard = guardOf(model, tags, request);
      const body = await bodyOf(how, request);
      return answer(request, async (work) => {
        const written = await changes.change(work, how, key, (record) => body(work, record), guard);
        const { shown, etag } = await shownOf(work, written);
        if (preferredReturn(request) === 'minimal') {
          return { status: 204, headers: { ...COMMON_HEADERS, etag, ...applied('minimal') } };
        }
        return { status: 200, headers: { ...JSON_HEADERS, etag }, body: `{"data":${shown}}` };
      });
    },

    async delete(keyText, request, query) {
      refuseQuery(query);
      const key = keyFromText(model.key, keyText);
      const guard = guardOf(model, tags, request);
      const wanted = preferredReturn(request) === 'representation';
      return answer(request, async (work) => {
        // Locked first, so that it is the record which is deleted.
        if (wanted) await changes.lock(work, key, guard);
        const last = wanted ? await changes.shown(work, key) : undefined;
        await changes.delete(work, key, guard);
        if (last === undefined) return { status: 204, headers: COMMON_HEADERS };
        const headers = { ...JSON_HEADERS, ...applied('representation') };
        return { status: 200, headers, body: `{"data":${last.shown}}` };
      });
    },
  };

  /** What a client wants of a record, as far as it can be told without it. */
  async function bodyOf(
    how: 'replace' | 'update',
    request: Request,
  ): Promise<(work: Work, record: Values) => ReadBody | Promise<ReadBody>> {
    const body = readBodyOf(request, how);
    if (how === 'update' && mediaTypeOf(request) === JSON_PATCH) {
      const steps = readPatch(body);
      return async (work, record) => {
        const { shown } = await changes.shown(work, record[model.key.member] as never);
        const members = patchedMembers(model, JSON.parse(shown) as Record<string, unknown>, steps);
        return sealed(readers.update(members, true));
      };
    }
    const read = await sealed(readers[how](body));
    return () => read;
  }

  async function sealed(read: ReadBody): Promise<ReadBody> {
    if (read.failures.length > 0) throw brokenRules(read.failures);
    return { ...read, values: await changes.seal(read.values) };
  }
}

interface Read {
  readonly values: Values;
  readonly failures: readonly Failure[];
}

/** Tells which of many records a problem is about. */
async function inPlace<Result>(at: number, work: Promise<Result>): Promise<Result> {
  try {
    return await work;
  } catch (error) {
    if (!(error instanceof HttpProblem)) throw error;
    const { errors, ...options } = error.options;
    const placed = errors?.map((one) => ('pointer' in one ? { ...one, pointer: pointerTo(at) + one.pointer } : one));
    throw new HttpProblem(error.problem, error.message || `record ${at} of the array`, { ...options, errors: placed });
  }
}

const notForClients = (member: string) => ({
  pointer: pointerTo(member),
  rule: 'readOnly',
  detail: 'is set by the service alone; leave it out',
});
