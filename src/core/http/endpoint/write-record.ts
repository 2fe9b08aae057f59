import { authorize, authorizeRecord } from '../../access/authorization.ts';
import { memoizeByPermissions } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import type { Principal } from '../../access/principal.ts';
import { collectionPath } from '../../api/endpoints.ts';
import { pointerTo } from '../../api/failure.ts';
import type { Failure } from '../../api/failure.ts';
import { COMMON_HEADERS, JSON_HEADERS } from '../../api/message.ts';
import type { Reply, Request } from '../../api/message.ts';
import { brokenRules, HttpProblem } from '../../api/problems.ts';
import type { Client, Written } from '../../change/contract.ts';
import type { UnitOfWork } from '../../change/unit-of-work.ts';
import type { Model } from '../../model/model.ts';
import { ownerField } from '../../model/related.ts';
import type { Scalar } from '../../model/scalar.ts';
import { isOpen } from '../../query/projection.ts';
import { bodyReader } from '../../rules/schema.ts';
import type { BodyReader, Values } from '../../rules/schema.ts';
import { encoded } from '../../text/encoded.ts';
import { readBodyOf } from '../request/body.ts';
import { recordTags } from '../request/entity-tag.ts';
import { keyFromText } from '../request/key.ts';
import { guardOf } from '../request/precondition.ts';
import { applied, preferredReturn } from '../request/prefer.ts';
import { refuseQuery } from '../request/query.ts';
import { withAllFailures } from './all-failures.ts';
import { bodyOf } from './changed-body.ts';
import type { AskedChange } from './changed-body.ts';
import type { EndpointContext } from './context.ts';
import { unseenBy } from './hidden-members.ts';
import { failuresOfMany, readMany, readNew, sealedMany } from './new-records.ts';
import type { Given } from './new-records.ts';
import { sealedFor } from './record-writing.ts';
import type { RecordWriting } from './record-writing.ts';
import { makeUnderParent } from './under-parent.ts';

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

export function makeRecordWriter(model: Model, context: EndpointContext): RecordWriter {
  const { graph, writes, answer, runtime, hashing } = context;
  const collection = collectionPath(graph, model);
  const changes = writes.changesOf(model);
  const tags = recordTags(context.tags, isOpen(graph, model));
  const underParent = makeUnderParent(model, context);
  const owner = ownerField(model);
  const readNewBody = bodyReader(model, 'create');
  const readersOf = memoizeByPermissions(
    (permissions: Permissions): Readonly<Record<'replace' | 'update', BodyReader>> => {
      const unseen = unseenBy(permissions, model);
      return { replace: bodyReader(model, 'replace', unseen), update: bodyReader(model, 'update', unseen) };
    },
  );

  const look: Look = async (principal, find) => {
    // What was refused may have taken long: others come first.
    await runtime.rest?.();
    return writes.run(principal, find);
  };
  const pathOf = ({ key }: Written): string => `${collection}/${encoded(String(key))}`;

  const writing: RecordWriting = { readNewBody, owner, changes, model, tags, pathOf, runtime, graph, hashing };
  return {
    async create(principal, request, query, parentKey) {
      const { caller, permissions } = principal;
      authorize(permissions, model, 'create');
      refuseQuery(query);
      const fill: Values = owner === undefined || caller === null ? {} : { [owner.member]: caller.key };
      const asked = { principal, request, answer, look };
      return underParent(principal, parentKey, async (add) => {
        const given = { add, fill };
        const body = readBodyOf(request, 'create');
        return Array.isArray(body) ? createMany(writing, asked, body, given) : createOne(writing, asked, body, given);
      });
    },

    async change(principal, how, keyText, request, query) {
      const { permissions } = principal;
      authorizeRecord(permissions, model, how);
      refuseQuery(query);
      const key = keyFromText(model.key, keyText);
      const guard = guardOf(model, tags, request);
      const body = bodyOf(writing, how, request, readersOf(permissions));
      const asked = { principal, request, answer, look };
      return changeOne(writing, asked, body, { how, key, client: { permissions, guard } });
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

/** Looks in a transaction of its own for what else is wrong. */
type Look = (
  principal: Principal,
  find: (work: UnitOfWork) => Promise<readonly Failure[]>,
) => Promise<readonly Failure[]>;

/** A request for new records, and what answers it. */
interface Asked extends Pick<EndpointContext, 'answer'> {
  readonly principal: Principal;
  readonly request: Request;
  readonly look: Look;
}

/** A change that somebody wants of a record. */
interface Wanted {
  readonly how: 'replace' | 'update';
  readonly key: Scalar;
  readonly client: Client;
}

async function changeOne(writing: RecordWriting, asked: Asked, body: AskedChange, wanted: Wanted): Promise<Reply> {
  const { changes } = writing;
  const { principal, request, answer, look } = asked;
  const { how, key, client } = wanted;
  let wasThere = false;
  return withAllFailures(
    (find) => look(principal, find),
    async () => {
      const sealed = await body.sealed(sealedFor(writing, principal));
      const change = async (work: UnitOfWork): Promise<Reply> => {
        // The body is read once the record is locked.
        const bodyOver = (seen: Values): ReturnType<typeof sealed> => {
          wasThere = true;
          return sealed(work, seen);
        };
        return changed(writing, work, await changes.change(work, how, key, bodyOver, client), request);
      };
      return answer(principal, request, change, { isBrief: changes.isBrief });
    },
    (work, known) => changes.failuresOfChange(work, how, key, (seen) => body.read(work, seen), known, client),
    { wasThere: () => wasThere },
  );
}

async function createOne(writing: RecordWriting, asked: Asked, body: unknown, given: Given): Promise<Reply> {
  const { changes } = writing;
  const { principal, request, answer, look } = asked;
  const { permissions } = principal;
  const { values, failures: broken } = readNew(writing, body, given, '');
  const failures = [...broken, ...(await changes.secretFailures(values))];
  return withAllFailures(
    (find) => look(principal, find),
    async () => {
      if (failures.length > 0) throw brokenRules(failures);
      const sealed = await sealedFor(writing, principal)(values);
      const create = async (work: UnitOfWork): Promise<Reply> =>
        created(writing, work, await changes.create(work, sealed, permissions), request);
      return answer(principal, request, create, { isBrief: changes.isBrief });
    },
    (work, known) => changes.failuresOfNew(work, values, known, permissions),
  );
}

async function createMany(
  writing: RecordWriting,
  asked: Asked,
  bodies: readonly unknown[],
  given: Given,
): Promise<Reply> {
  const { changes } = writing;
  const { principal, request, answer, look } = asked;
  const read = await readMany(writing, bodies, given);
  return withAllFailures(
    (find) => look(principal, find),
    async () => {
      const hashed = await sealedMany(writing, read, sealedFor(writing, principal));
      return answer(principal, request, async (work) => {
        const all: Written[] = [];
        for (const [at, values] of hashed.entries())
          all.push(await inPlace(at, changes.create(work, values, principal.permissions)));
        return createdAll(writing, work, all, request);
      });
    },
    (work, known) => failuresOfMany(writing, work, read, known),
    { begins: 'The records break' },
  );
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

async function changed(writing: RecordWriting, work: UnitOfWork, one: Written, request: Request): Promise<Reply> {
  const { shown, tag } = await shownOf(writing, work, one);
  if (preferredReturn(request) === 'minimal') {
    return { status: 204, headers: { ...COMMON_HEADERS, ...tag, ...applied('minimal') } };
  }
  return { status: 200, headers: { ...JSON_HEADERS, ...tag }, body: `{"data":${shown}}` };
}

interface Projection {
  readonly shown: string;
  readonly tag: Readonly<Record<string, string>>;
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
