import { grantsOf, operationAct } from '../access/condition.ts';
import type { Act } from '../access/condition.ts';
import type { Endpoint, EndpointName } from '../api/endpoints.ts';
import { problemTypes } from '../api/problems.ts';
import type { ProblemName } from '../api/problems.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { spoken } from '../text/names.ts';
import type { Ref } from './components.ts';
import type { Documented } from './documented.ts';
import { objectOf } from './json-schema.ts';
import type { JsonSchema } from './json-schema.ts';
import { otherSchemas, viewRef, wholeRef, writtenRef } from './records.ts';
import { envelope, etagsRef, inData, json, pageRef, problemRef } from './shared.ts';
import { typeName } from './type-name.ts';

const BODY: readonly ProblemName[] = ['malformed-request', 'too-large', 'unsupported-media-type', 'invalid-body'];
const CHANGE: readonly ProblemName[] = [
  ...BODY,
  'invalid-parameter',
  'not-found',
  'not-acceptable',
  'taken',
  'moved-on',
  'condition-required',
  'refused',
  'not-enough-left',
  'too-busy',
];
/** Which problems each endpoint may answer with, beside those that any may. */
const PROBLEMS: Readonly<Record<EndpointName, readonly ProblemName[]>> = {
  list: ['invalid-parameter', 'not-acceptable'],
  read: ['invalid-parameter', 'not-found', 'not-acceptable'],
  create: [
    ...BODY,
    'invalid-parameter',
    'not-acceptable',
    'taken',
    'refused',
    'not-enough-left',
    'still-running',
    'other-request',
    'too-busy',
  ],
  replace: CHANGE,
  update: [...CHANGE, 'test-failed'],
  delete: [
    'invalid-parameter',
    'not-found',
    'not-acceptable',
    'still-referred-to',
    'too-many-at-once',
    'moved-on',
    'condition-required',
    'refused',
    'too-busy',
  ],
  clear: ['invalid-parameter', 'not-acceptable', 'still-referred-to', 'too-many-at-once', 'refused', 'too-busy'],
  operation: [
    ...BODY,
    'invalid-parameter',
    'not-found',
    'not-acceptable',
    'taken',
    'moved-on',
    'refused',
    'not-enough-left',
    'still-referred-to',
    'too-many-at-once',
    'still-running',
    'other-request',
    'too-busy',
  ],
  journal: ['invalid-parameter', 'not-found', 'not-acceptable'],
};
/** Reads are never left in the dark about what they did. */
const READS: readonly EndpointName[] = ['list', 'read', 'journal'];
const ALWAYS: readonly ProblemName[] = ['url-too-long', 'inner-defect', 'store-unavailable', 'time-ran-out'];

/** What an endpoint answers where something is wrong. */
export function problemsOf(doc: Documented, endpoint: Endpoint): JsonSchema {
  const { name, under } = endpoint;
  const may = couldHappen(doc.graph, endpoint);
  const named: readonly ProblemName[] = [...PROBLEMS[name], ...(under === undefined ? [] : (['not-found'] as const))];
  const isWrite = !READS.includes(name) && endpoint.operation?.reads !== true;
  const responses = problemResponses(doc, [
    ...named.filter(may),
    ...accessProblems(doc.graph, endpoint),
    ...(isWrite ? (['outcome-unknown'] as const) : []),
  ]);
  if (!named.includes('refused') || !may('refused')) return responses;
  const { refusals } = doc.graph.code ?? { refusals: undefined };
  const refused = problemRefOf(doc, ['refused']);
  // The project's own code may name another status.
  if (refusals === undefined) return { ...responses, '4XX': refused };
  const others = refusals.filter((status) => responses[status] === undefined);
  return { ...responses, ...Object.fromEntries(others.map((status) => [status, refused])) };
}

/** Whether an endpoint can ever have a problem. What the project's own code does could be anything. */
function couldHappen(graph: Graph, { name, model, ofRecord }: Endpoint): (problem: ProblemName) => boolean {
  const { code } = graph;
  const touched = touchedBy(graph, model, name === 'delete' || name === 'clear');
  const isFree = name === 'operation' || code === undefined || touched.some((one) => code.hooked.has(one.name));
  const isReferredTo = touched.some((one) =>
    graph.models.some(({ relations }) =>
      relations.some(({ target, onDelete }) => target === one.name && onDelete === 'restrict'),
    ),
  );
  return (problem) => {
    switch (problem) {
      case 'condition-required':
        return model.conditional;
      case 'refused':
        return isFree && code?.refusals?.length !== 0;
      case 'taken':
        return isFree || model.unique.length > 0 || model.keyKind === 'field';
      case 'not-enough-left':
        return isFree || model.draws.length > 0;
      case 'still-referred-to':
        return isFree || isReferredTo;
      case 'too-many-at-once':
        return isFree || name === 'clear' || touched.length > 1;
      case 'still-running':
      case 'other-request':
        return true;
      case 'not-found':
        return ofRecord || isFree;
      default:
        return true;
    }
  };
}

/** The models whose records a write changes, without the project's own code. */
function touchedBy(graph: Graph, model: Model, isDelete: boolean): Model[] {
  const found = new Set([model]);
  if (isDelete)
    for (const one of found)
      for (const other of graph.models)
        if (other.relations.some(({ target, onDelete }) => target === one.name && onDelete !== 'restrict'))
          found.add(other);
  return [...found];
}

/** What an endpoint may answer to callers who may not ask it, or not so often. */
function accessProblems({ identity, service }: Graph, { model, name, operation }: Endpoint): ProblemName[] {
  const act = operation === undefined ? (name === 'list' ? 'read' : name) : operationAct(operation.name);
  const isForAll = grantsOf(model, act as Act).some(({ kind }) => kind === 'anybody');
  return [
    ...(identity === undefined ? [] : (['sign-in-required', 'invalid-token'] as const)),
    ...(isForAll && (name === 'list' || name === 'read') ? [] : (['not-allowed'] as const)),
    ...(service.limits.rate === undefined ? [] : (['too-many-requests'] as const)),
  ];
}

/** The statuses of problems; endpoints with the same problems of a status share a response. */
export function problemResponses(doc: Documented, problems: readonly ProblemName[]): JsonSchema {
  const names = [...new Set([...problems, ...ALWAYS])];
  const statuses = [...new Set(names.map((problem) => problemTypes[problem].status))].sort();
  return Object.fromEntries(
    statuses.map((status) => [
      status,
      problemRefOf(doc, names.filter((problem) => problemTypes[problem].status === status).sort(), status),
    ]),
  );
}

function problemRefOf(doc: Documented, problems: readonly ProblemName[], status = 0): Ref {
  const { components } = doc;
  return components.ref('responses', `problem.${problems.join('.')}`, () => ({
    description: problems.map((problem) => `${problemTypes[problem].title} (${problem}).`).join(' '),
    ...(HEADERS[status] === undefined ? {} : { headers: HEADERS[status](doc) }),
    content: { 'application/problem+json': { schema: problemRef(components) } },
  }));
}

/** Headers of answers, each described once. */
const ABOUT = {
  ETag: ['Tells this answer from others; its first part tells states of the record apart (RFC 9110).'],
  Link: ['The first, the next and the previous page (RFC 8288).'],
  Location: ['The path of the new record, where it is one.', 'uri-reference'],
  'Preference-Applied': ['What of Prefer was followed (RFC 7240).'],
  'Retry-After': ['The seconds after which it may go well (RFC 9110).'],
  'WWW-Authenticate': ['How to sign in (RFC 6750).'],
} as const;

export const headersRef = ({ components }: Documented, ...names: (keyof typeof ABOUT)[]): JsonSchema =>
  Object.fromEntries(
    names.map((name) => [
      name,
      components.ref('headers', name, () => {
        const [description, format] = ABOUT[name];
        return { description, schema: { type: 'string', ...(format === undefined ? {} : { format }) } };
      }),
    ]),
  );

const HEADERS: Readonly<Record<number, (doc: Documented) => JsonSchema>> = {
  401: (doc) => headersRef(doc, 'WWW-Authenticate'),
  429: (doc) => headersRef(doc, 'Retry-After'),
  503: (doc) => headersRef(doc, 'Retry-After'),
};

export const notModified = (doc: Documented): Ref =>
  doc.components.ref('responses', 'not-modified', () => ({
    description: 'The answer that If-None-Match names still holds.',
    headers: headersRef(doc, 'ETag'),
  }));

/** Done, where the client wants no body. */
export const noMore = (doc: Documented, withTag: boolean): Ref =>
  doc.components.ref('responses', withTag ? 'no-more.tagged' : 'no-more', () => ({
    description: 'Done, where Prefer asks for no more.',
    headers: withTag ? headersRef(doc, 'ETag', 'Preference-Applied') : headersRef(doc, 'Preference-Applied'),
  }));

const withOthers = (content: JsonSchema, others: JsonSchema): JsonSchema =>
  Object.fromEntries(Object.entries(content).map(([type, media]) => [type, { ...(media as object), ...others }]));

/** A read of one record. */
export const recordResponses = (doc: Documented, model: Model): JsonSchema => ({
  200: doc.components.ref('responses', `${typeName(model)}.record`, () => ({
    description: `The record${model.views.size > 1 ? ', in the view default if no other was asked for' : ''}.`,
    headers: headersRef(doc, 'ETag'),
    content: withOthers(json(inData(doc.components, wholeRef(doc, model))), otherSchemas(doc, model, 'default')),
  })),
  304: notModified(doc),
});

/** A page of a list, of a model's records or of the lines of a journal. */
export function listResponse(doc: Documented, model: Model, description: string): Ref {
  const { components, graph } = doc;
  return components.ref('responses', `${typeName(model)}.list`, () => ({
    description,
    headers: headersRef(doc, 'Link', 'ETag'),
    content: withOthers(
      json(
        envelope(
          { type: 'array', items: viewRef(doc, model, model.listView), maxItems: graph.service.paging.most },
          { page: pageRef(components) },
          typeName(model) === 'journal' ? {} : { etags: etagsRef(components) },
        ),
      ),
      otherSchemas(doc, model, model.listView),
    ),
  }));
}

/** What an endpoint answers where all went well. */
export function successOf(
  doc: Documented,
  name: Exclude<EndpointName, 'operation' | 'journal'>,
  model: Model,
): JsonSchema {
  const { components } = doc;
  switch (name) {
    case 'read':
      return recordResponses(doc, model);
    case 'list':
      return {
        200: listResponse(
          doc,
          model,
          `A page of ${spoken(model.plural)}, in the view ${model.listView} if no other was asked for.`,
        ),
        304: notModified(doc),
      };
    case 'create': {
      const one = writtenRef(doc, model, 'create');
      return {
        201: components.ref('responses', `${typeName(model)}.created`, () => ({
          description:
            'The record as it was made; of many, `data` is an array of them, and `etags` has the ETag of each. ' +
            'Nothing, where Prefer asks for no more.',
          headers: headersRef(doc, 'Location', 'ETag', 'Preference-Applied'),
          content: json(inData(components, one)),
        })),
      };
    }
    case 'delete': {
      const last = {
        description: 'The record as it was, where Prefer asks for it.',
        headers: headersRef(doc, 'Preference-Applied'),
        content: json(inData(components, wholeRef(doc, model))),
      };
      return { 200: last, 204: components.ref('responses', 'deleted', () => ({ description: 'Deleted.' })) };
    }
    case 'clear':
      return {
        200: components.ref('responses', 'cleared', () => ({
          description: 'How many were deleted.',
          content: json(envelope(objectOf({ deleted: { type: 'integer', minimum: 0 } }, ['deleted']))),
        })),
      };
    default:
      return {
        200: components.ref('responses', `${typeName(model)}.changed`, () => ({
          description: 'The record as it is now.',
          headers: headersRef(doc, 'ETag'),
          content: json(inData(components, writtenRef(doc, model, 'update'))),
        })),
        204: noMore(doc, true),
      };
  }
}
