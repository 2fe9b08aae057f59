import { grantsOf, operationAct } from '../access/condition.ts';
import type { Act } from '../access/condition.ts';
import type { Endpoint, EndpointName } from '../api/endpoints.ts';
import { problemTypes } from '../api/problems.ts';
import type { ProblemName } from '../api/problems.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { Ref } from './components.ts';
import type { Documented } from './documented.ts';
import { headersRef } from './headers.ts';
import type { JsonSchema } from './json-schema.ts';
import { problemRef } from './shared.ts';

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

const HEADERS: Readonly<Record<number, (doc: Documented) => JsonSchema>> = {
  401: (doc) => headersRef(doc, 'WWW-Authenticate'),
  429: (doc) => headersRef(doc, 'Retry-After'),
  503: (doc) => headersRef(doc, 'Retry-After'),
};
