import { authorize, authorizeRecord, unknownRecord } from '../../access/authorization.ts';
import { memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import { collectionPath } from '../../api/endpoints.ts';
import { MOST_FAILURES, pointerTo } from '../../api/failure.ts';
import type { Failure } from '../../api/failure.ts';
import { MOST_AT_ONCE } from '../../api/limits.ts';
import { JSON_PATCH } from '../../api/media-types.ts';
import { COMMON_HEADERS, JSON_HEADERS } from '../../api/message.ts';
import type { Reply, Request } from '../../api/message.ts';
import { brokenRules, HttpProblem, LATER } from '../../api/problems.ts';
import type { Changes, Written } from '../../change/contract.ts';
import type { Runtime } from '../../change/runtime.ts';
import type { UnitOfWork } from '../../change/unit-of-work.ts';
import { MOST_SECRETS } from '../../identity/hashing.ts';
import type { Hashing } from '../../identity/hashing.ts';
import type { Field } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import { ownerField } from '../../model/related.ts';
import { isOpen } from '../../query/projection.ts';
import { thereStatement } from '../../query/statements.ts';
import { bodyReader } from '../../rules/schema.ts';
import type { BodyReader, ReadBody, Values } from '../../rules/schema.ts';
import { isRecord } from '../../text/value.ts';
import { mediaTypeOf, readBodyOf } from '../request/body.ts';
import { recordTags } from '../request/entity-tag.ts';
import type { RecordTags } from '../request/entity-tag.ts';
import { patchedMembers, readPatch } from '../request/json-patch.ts';
import { keyFromText } from '../request/key.ts';
import { guardOf } from '../request/precondition.ts';
import { applied, preferredReturn } from '../request/prefer.ts';
import { refuseQuery } from '../request/query.ts';
import type { EndpointContext } from './context.ts';
import { unseenBy } from './hidden-members.ts';

/** Writes of a model's records over HTTP. Keys come as the text of a path segment, queries without their `?`. */
export interface RecordWriter {
  create(principal: Principal, request: Request, query: string, parentKey?: string): Promise<Reply>;
  change(
    principal: Principal,
    how: 'replace' | 'update',
    keyText: string,
    request: Request,
    query: string,
  ): Promise<Reply>;
  delete(principal: Principal, keyText: string, request: Request, query: string): Promise<Reply>;
}

/** What the writes of one model are answered with. */
export interface RecordWriting {
  readonly readNewBody: BodyReader;
  readonly owner: Field | undefined;
  readonly changes: Changes;
  readonly model: Model;
  readonly tags: RecordTags;
  readonly pathOf: ({ key }: Written) => string;
  readonly runtime: Runtime;
  readonly graph: Graph;
  readonly hashing: Hashing;
}

export function makeRecordWriter(model: Model, context: EndpointContext): RecordWriter {
  const { graph, writes, answer, runtime, hashing } = context;
  const collection = collectionPath(graph, model);
  const changes = writes.changesOf(model);
  const tags = recordTags(context.tags, isOpen(graph, model));
  const parentValues = parentReader(model, context);
  const owner = ownerField(model);
  const readNewBody = bodyReader(model, 'create');
  const readersOf = memoizeByPermissions(
    (permissions: Permissions): Readonly<Record<'replace' | 'update', BodyReader>> => {
      const unseen = unseenBy(permissions, model);
      return { replace: bodyReader(model, 'replace', unseen), update: bodyReader(model, 'update', unseen) };
    },
  );

  const pathOf = ({ key }: Written): string => `${collection}/${encodeURIComponent(String(key))}`;

  const writing: RecordWriting = { readNewBody, owner, changes, model, tags, pathOf, runtime, graph, hashing };
  return {
    async create(principal, request, query, parentKey) {
      const { caller, permissions } = principal;
      authorize(permissions, model, 'create');
      refuseQuery(query);
      const fill: Values = owner === undefined || caller === null ? {} : { [owner.member]: caller.key };
      const add = await parentValues(principal, parentKey);
      const given = { add, fill };
      const body = readBodyOf(request, 'create');
      if (!Array.isArray(body)) {
        const { values, failures } = readNew(writing, body, given, '');
        if (failures.length > 0) throw brokenRules(failures);
        const sealed = await sealedFor(writing, principal)(values);
        return answer(principal, request, async (work) =>
          created(writing, work, await changes.create(work, sealed, permissions), request),
        );
      }
      const hashed = await readMany(writing, body, given, sealedFor(writing, principal));
      return answer(principal, request, async (work) => {
        const all: Written[] = [];
        for (const [at, values] of hashed.entries())
          all.push(await inPlace(at, changes.create(work, values, permissions)));
        return createdAll(writing, work, all, request);
      });
    },

    async change(principal, how, keyText, request, query) {
      const { permissions } = principal;
      authorizeRecord(permissions, model, how);
      refuseQuery(query);
      const key = keyFromText(model.key, keyText);
      const guard = guardOf(model, tags, request);
      const body = await bodyOf(writing, how, request, readersOf(permissions), sealedFor(writing, principal));
      return answer(principal, request, async (work) => {
        const written = await changes.change(work, how, key, (record) => body(work, record), { permissions, guard });
        const { shown, tag } = await shownOf(writing, work, written);
        if (preferredReturn(request) === 'minimal') {
          return { status: 204, headers: { ...COMMON_HEADERS, ...tag, ...applied('minimal') } };
        }
        return { status: 200, headers: { ...JSON_HEADERS, ...tag }, body: `{"data":${shown}}` };
      });
    },

    async delete(principal, keyText, request, query) {
      const { permissions } = principal;
      authorizeRecord(permissions, model, 'delete');
      refuseQuery(query);
      const key = keyFromText(model.key, keyText);
      const guard = guardOf(model, tags, request);
      const wanted = preferredReturn(request) === 'representation';
      return answer(principal, request, async (work) => {
        // Locked first, so that the answer shows the record as it is deleted.
        if (wanted) await changes.lockForWrite(work, key, 'delete', { permissions, guard });
        const last = wanted ? await changes.shown(work, key, permissions) : undefined;
        await changes.delete(work, key, { permissions, guard });
        if (last === undefined) return { status: 204, headers: COMMON_HEADERS };
        const headers = { ...JSON_HEADERS, ...applied('representation') };
        return { status: 200, headers, body: `{"data":${last.shown}}` };
      });
    },
  };
}

/** Reads the member that names the parent in the path, once it is known that this caller may read that record. */
function parentReader(
  model: Model,
  { graph, store, runtime }: EndpointContext,
): (principal: Principal, parentKey: string | undefined) => Promise<Values> {
  if (model.parent === undefined) return () => Promise.resolve({});
  const { dialect } = store;
  const { field, target } = model.parent;
  const parent = modelOf(graph, target);
  const statementFor = memoizeByPermissions((permissions: Permissions) =>
    thereStatement(graph, parent, dialect, permissions.may(parent, 'read')),
  );
  return async ({ caller, permissions }, parentKey) => {
    if (parentKey === undefined) return {};
    if (permissions.may(parent, 'read') === false) throw unknownRecord(permissions, parent);
    const key = keyFromText(parent.key, parentKey);
    const statement = statementFor(permissions);
    const bound = [dialect.bind(parent.key, key), ...statement.values({ now: runtime.now(), caller })];
    if ((await store.first(statement, bound)) === undefined) throw unknownRecord(permissions, parent);
    return { [field.member]: key };
  };
}

/** Reads the records of a body with many, and hashes their secrets. */
async function readMany(
  writing: RecordWriting,
  bodies: readonly unknown[],
  given: Given,
  hashSecrets: (values: Values) => Promise<Values>,
): Promise<Values[]> {
  if (bodies.length === 0) {
    throw brokenRules([{ pointer: '', rule: 'minItems', detail: 'give at least one record' }]);
  }
  if (bodies.length > MOST_AT_ONCE) {
    const detail = `has ${bodies.length} records; ${MOST_AT_ONCE} is the most`;
    throw brokenRules([{ pointer: '', rule: 'maxItems', detail }]);
  }
  const read: Read[] = [];
  const failures: Failure[] = [];
  for (const [at, one] of bodies.entries()) {
    await writing.runtime.rest?.();
    read.push(readNew(writing, one, given, pointerTo(at)));
    failures.push(...read[at]!.failures);
    if (failures.length > MOST_FAILURES) break;
  }
  if (failures.length > 0) throw brokenRules(failures, 'The records break');
  const secrets = read.reduce((sum, { values }) => sum + writing.changes.countSecrets(values), 0);
  if (secrets > MOST_SECRETS) {
    const detail = `have ${secrets} secrets to be hashed; ${MOST_SECRETS} is the most in one request`;
    throw brokenRules([{ pointer: '', rule: 'maxItems', detail }], 'The records break');
  }
  const hashed: Values[] = [];
  for (const { values } of read) hashed.push(await hashSecrets(values));
  return hashed;
}

/** The values of a new record from the body, the path and the caller; pointers begin with `prefix`. */
function readNew({ readNewBody, owner }: RecordWriting, body: unknown, { add, fill }: Given, prefix: string): Read {
  const isObject = isRecord(body);
  const read = readNewBody(isObject ? withGiven(body, { ...fill, ...add }) : body);
  // Nobody can have read a new record: members that clients may not set are refused at once.
  const given = [...[...read.repeated.keys()].map(({ member }) => member), ...read.derived.keys()];
  const failures: Failure[] = [...read.failures, ...given.map(notForClients)];
  if (owner?.rules.required && isObject && read.values[owner.member] === undefined) {
    failures.push({ pointer: pointerTo(owner.member), rule: 'required', detail: 'must be given' });
  }
  for (const [member, value] of Object.entries(add)) {
    if (read.values[member] === value) continue;
    const detail = `the path says ${JSON.stringify(value)}; leave it out of the body`;
    failures.push({ pointer: pointerTo(member), rule: 'immutable', detail });
  }
  return { values: read.values, failures: failures.map((one) => ({ ...one, pointer: prefix + one.pointer })) };
}

/** A caller who may write a record but not read it gets its key only. */
async function shownOf(
  { changes, model, tags }: RecordWriting,
  work: UnitOfWork,
  { key, texts }: Written,
): Promise<Projection> {
  const found = texts ?? (await changes.shown(work, key, work.permissions));
  if (found === undefined) return { shown: JSON.stringify({ [model.key.member]: key }), tag: {} };
  return { shown: found.shown, tag: { etag: tags.tagOf(found.shown, found.stored) } };
}

async function created(writing: RecordWriting, work: UnitOfWork, one: Written, request: Request): Promise<Reply> {
  const { pathOf } = writing;
  const { shown, tag } = await shownOf(writing, work, one);
  const headers = { location: pathOf(one), ...tag };
  if (preferredReturn(request) !== 'minimal') {
    return { status: 201, headers: { ...JSON_HEADERS, ...headers }, body: `{"data":${shown}}` };
  }
  return { status: 201, headers: { ...COMMON_HEADERS, ...headers, ...applied('minimal') } };
}

async function createdAll(
  writing: RecordWriting,
  work: UnitOfWork,
  all: readonly Written[],
  request: Request,
): Promise<Reply> {
  if (preferredReturn(request) === 'minimal')
    return { status: 201, headers: { ...COMMON_HEADERS, ...applied('minimal') } };
  const texts: string[] = [];
  const etags: (string | null)[] = [];
  for (const one of all) {
    const { shown, tag } = await shownOf(writing, work, one);
    texts.push(shown);
    etags.push(tag.etag ?? null);
  }
  const body = `{"data":[${texts.join(',')}],"etags":${JSON.stringify(etags)}}`;
  return { status: 201, headers: JSON_HEADERS, body };
}

/** What a client requests, as far as it can be checked without the record. */
async function bodyOf(
  writing: RecordWriting,
  how: 'replace' | 'update',
  request: Request,
  readers: Readonly<Record<'replace' | 'update', BodyReader>>,
  hashSecrets: Seal,
): Promise<(work: UnitOfWork, record: Values) => ReadBody | Promise<ReadBody>> {
  const { changes, model } = writing;
  const body = readBodyOf(request, how);
  if (how === 'update' && mediaTypeOf(request) === JSON_PATCH) {
    const steps = readPatch(body);
    return async (work, record) => {
      const found = await changes.shown(work, record[model.key.member] as never, work.permissions);
      const members = patchedMembers(model, JSON.parse(found!.shown) as Record<string, unknown>, steps);
      // The record is locked, so this hash does not wait for a turn.
      return sealed(writing, readers.update(members, true), (values) => changes.hashSecrets(values));
    };
  }
  const read = await sealed(writing, readers[how](body), hashSecrets);
  return () => read;
}

/** Hashes secrets in turn with other requests, within the time of the write, while the client waits. */
function sealedFor({ runtime, graph, hashing, changes }: RecordWriting, { requester }: Principal): Seal {
  const last = runtime.now().getTime() + graph.service.limits.transaction;
  const hash = async (secret: string): Promise<string> => {
    const hashed = await hashing.hash(secret, requester);
    if (runtime.now().getTime() > last) throw new HttpProblem('time-ran-out', undefined, { headers: LATER });
    return hashed;
  };
  return (values) => changes.hashSecrets(values, hash);
}

async function sealed(_writing: RecordWriting, read: ReadBody, hashSecrets: Seal): Promise<ReadBody> {
  if (read.failures.length > 0) throw brokenRules(read.failures);
  return { ...read, values: await hashSecrets(read.values) };
}

/** Gives values with their secrets hashed. */
type Seal = (values: Values) => Promise<Values>;

/** Values from the path, and values for members that the body leaves out. */
interface Given {
  readonly add: Values;
  readonly fill: Values;
}

interface Projection {
  readonly shown: string;
  readonly tag: Readonly<Record<string, string>>;
}

interface Read {
  readonly values: Values;
  readonly failures: readonly Failure[];
}

/** Adds the position among many records to a problem. */
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

/** Adds values to a body. It belongs to this request only and may be large, so it is not copied. */
function withGiven(body: Record<string, unknown>, given: Values): Record<string, unknown> {
  for (const [member, value] of Object.entries(given)) if (!Object.hasOwn(body, member)) body[member] = value;
  return body;
}

const notForClients = (member: string) => ({
  pointer: pointerTo(member),
  rule: 'readOnly',
  detail: 'is set by the service alone; leave it out',
});
