import { isOpen } from '../access/open.ts';
import { BODY_TYPES, JSON_PATCH } from '../http/body.ts';
import { CLEAR_PARAMETERS } from '../http/clear.ts';
import { endpointsOf } from '../http/endpoints.ts';
import type { Endpoint, EndpointName } from '../http/endpoints.ts';
import { filterable } from '../http/list-request.ts';
import { problemTypes } from '../http/problems.ts';
import type { ProblemName } from '../http/problems.ts';
import type { Graph, Model } from '../model/graph.ts';
import { pascalCase, spoken, withArticle } from '../model/names.ts';
import { callerItems } from './callers.ts';
import { content, envelope, journalItem, operationItem, PAGE_PARAMETERS, pageParameters, ref } from './operations.ts';
import { filterName, headerParameters, headersOf, keyName, parametersOf, shownNames } from './parameters.ts';
import { bodyName, bodySchema, KINDS, recordName, recordSchema } from './schemas.ts';
import type { JsonSchema } from './schemas.ts';
import { sharedSchemas } from './shared-schemas.ts';

const BODY: readonly ProblemName[] = ['malformed-request', 'too-large', 'unsupported-media-type', 'invalid-body'];
const CHANGE: readonly ProblemName[] = [...BODY, 'not-found', 'not-acceptable', 'taken', 'moved-on', 'condition-required', 'refused', 'not-enough-left', 'too-busy']; // prettier-ignore
/** Which problems each endpoint may answer with, beside those that any may. */
const PROBLEMS: Readonly<Record<EndpointName, readonly ProblemName[]>> = {
  list: ['invalid-parameter', 'not-acceptable'],
  read: ['invalid-parameter', 'not-found', 'not-acceptable'],
  create: [
    ...BODY,
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
    'invalid-parameter', 'not-found', 'not-acceptable', 'still-referred-to', 'too-many-at-once', 'moved-on', 'condition-required', 'refused', 'too-busy',
  ], // prettier-ignore
  clear: ['invalid-parameter', 'not-acceptable', 'still-referred-to', 'too-many-at-once', 'refused', 'too-busy'],
  operation: [
    ...BODY, 'invalid-parameter', 'not-found', 'not-acceptable', 'taken', 'moved-on', 'refused', 'not-enough-left', 'still-running', 'other-request', 'too-busy',
  ], // prettier-ignore
  journal: ['invalid-parameter', 'not-found', 'not-acceptable'],
};
const ALWAYS: readonly ProblemName[] = ['url-too-long', 'inner-defect', 'store-unavailable', 'time-ran-out'];

/** The OpenAPI 3.1 document of a service: the same bytes for the same declarations. */
export function openApi(graph: Graph): Record<string, unknown> {
  const { name, version, description } = graph.service;
  const endpoints = graph.models.flatMap((model) => endpointsOf(graph, model));
  const paths: Record<string, Record<string, unknown>> = {};
  for (const endpoint of endpoints) {
    const item = (paths[endpoint.path] ??= pathItem(endpoint));
    item[endpoint.method.toLowerCase()] = operation(graph, endpoint);
  }
  const callers = callerItems(graph, problemResponses);
  Object.assign(paths, callers.paths);
  const lists = endpoints.some(({ name }) => ['list', 'clear', 'journal'].includes(name));
  return {
    openapi: '3.1.0',
    info: { title: name, version, ...(description === undefined ? {} : { description }) },
    servers: [{ url: '/', description: 'The address that this document was read from.' }],
    ...(graph.identity === undefined ? {} : { security: [{}, { token: [] }] }),
    tags: graph.models.map((model) => ({
      name: model.plural,
      ...(model.description === undefined ? {} : { description: model.description }),
    })),
    paths,
    components: {
      schemas: {
        ...Object.fromEntries(graph.models.flatMap((model) => schemasOf(graph, model))),
        ...sharedSchemas(lists, endpoints),
        ...callers.schemas,
      },
      parameters: Object.fromEntries([
        ...graph.models.flatMap((model) => parametersOf(graph, model)),
        ...headerParameters(endpoints),
        ...(lists ? pageParameters(graph) : []),
      ]),
      responses: responsesOf(graph, endpoints, callers.problems),
      ...(graph.identity === undefined ? {} : { securitySchemes: callers.securitySchemes }),
    },
  };
}

function schemasOf(graph: Graph, model: Model): [string, JsonSchema][] {
  const bodies = KINDS.filter((kind) => model.endpoints.has(kind)).map((kind): [string, JsonSchema] => [
    bodyName(model, kind),
    bodySchema(graph, model, kind),
  ]);
  return [[recordName(model), recordSchema(graph, model)], ...bodies];
}

function pathItem(endpoint: Endpoint): Record<string, unknown> {
  const inPath = endpoint.ofRecord ? (endpoint.under ?? endpoint.model) : undefined;
  return inPath === undefined ? {} : { parameters: [ref('parameters', keyName(inPath))] };
}

const VERBS: Readonly<Record<Exclude<EndpointName, 'operation' | 'journal'>, string>> = {
  list: 'List',
  read: 'Read',
  create: 'Create',
  replace: 'Replace',
  update: 'Update',
  delete: 'Delete',
  clear: 'Delete',
};

function operation(graph: Graph, endpoint: Endpoint): Record<string, unknown> {
  const { name, model, under } = endpoint;
  const problems = problemResponses(problemsOf(graph, endpoint));
  if (name === 'operation') return operationItem(graph, endpoint, problems);
  if (name === 'journal') return journalItem(graph, endpoint, problems);
  const many = name === 'list' || name === 'clear';
  const of = under === undefined ? '' : ` of ${withArticle(under.name)}`;
  const summary = `${VERBS[name]} ${name === 'clear' ? 'many ' : ''}${many ? spoken(model.plural) : withArticle(model.name)}${of}`;
  const nested = under === undefined ? '' : `_in${recordName(under)}`;
  const operationId = `${name}${pascalCase(many ? model.plural : model.name)}${nested}`;
  const parameters = [
    ...(name === 'clear'
      ? [
          ...filterable(model).map((field) => ref('parameters', filterName(model, field.member))),
          ...CLEAR_PARAMETERS.map((shared) => ref('parameters', shared)),
        ]
      : []),
    ...headersOf(model, name).map((header) => ref('parameters', header)),
    ...(name === 'list'
      ? [
          ...filterable(model)
            .filter((field) => under === undefined || field !== model.parent?.field)
            .map((field) => ref('parameters', filterName(model, field.member))),
          ref('parameters', `${recordName(model)}.sort`),
          ...PAGE_PARAMETERS.map((shared) => ref('parameters', shared)),
        ]
      : []),
    ...(name === 'list' || name === 'read' ? shownNames(model).map((shown) => ref('parameters', shown)) : []),
  ];
  return {
    operationId,
    summary,
    tags: [model.plural],
    ...(parameters.length > 0 ? { parameters } : {}),
    ...(isWrite(name) ? { requestBody: requestBody(graph, model, name, under) } : {}),
    responses: { ...success(graph, name, model), ...problems },
  };
}

const isWrite = (name: EndpointName): name is 'create' | 'replace' | 'update' =>
  name === 'create' || name === 'replace' || name === 'update';

function requestBody(graph: Graph, model: Model, kind: 'create' | 'replace' | 'update', under: Model | undefined) {
  const whole = ref('schemas', bodyName(model, kind));
  // Under a parent the path names it: the body may leave it out.
  const one = under === undefined ? whole : nestedBody(graph, model);
  const many = { type: 'array', items: one, description: 'Many records: all of them are made, or none.' };
  const schema = kind === 'create' ? { oneOf: [one, many] } : one;
  const content = BODY_TYPES[kind].map((type) => [type, { schema: type === JSON_PATCH ? ref('schemas', 'patch') : schema }]); // prettier-ignore
  return { required: true, content: Object.fromEntries(content) as Record<string, unknown> };
}

function nestedBody(graph: Graph, model: Model): JsonSchema {
  const schema = bodySchema(graph, model, 'create');
  const { member } = model.parent!.field;
  const required = (schema.required as string[] | undefined)?.filter((name) => name !== member) ?? [];
  const { required: _all, ...rest } = schema;
  return required.length > 0 ? { ...rest, required } : rest;
}

function success(
  graph: Graph,
  name: Exclude<EndpointName, 'operation' | 'journal'>,
  model: Model,
): Record<string, unknown> {
  const record = ref('schemas', recordName(model));
  const header = (description: string, format?: string) => ({
    description,
    schema: { type: 'string', ...(format === undefined ? {} : { format }) },
  });
  if (name === 'delete') {
    const last = { description: 'The record as it was, where Prefer asks for it.', content: content(envelope(record)) };
    return { '200': last, '204': { description: 'Deleted.' } };
  }
  if (name === 'clear') {
    const counted = { type: 'object', properties: { deleted: { type: 'integer' } }, required: ['deleted'], additionalProperties: false }; // prettier-ignore
    return { '200': { description: 'How many were deleted.', content: content(envelope(counted)) } };
  }
  const tag = {
    ETag: header('Tells this answer from others; its first part tells states of the record apart (RFC 9110).'),
  };
  if (name === 'list') {
    const schema = envelope(
      { type: 'array', items: record, maxItems: graph.service.paging.most },
      { page: ref('schemas', 'page') },
    );
    const headers = { Link: header('The first, the next and the previous page (RFC 8288).') };
    return { '200': { description: 'A page of records.', headers, content: content(schema) } };
  }
  if (name === 'create') {
    const headers = { Location: header('The path of the new record, where it is one.', 'uri-reference'), ...tag };
    const data = { oneOf: [record, { type: 'array', items: record }] };
    return {
      '201': { description: 'The record, or records, as they were made.', headers, content: content(envelope(data)) },
    };
  }
  const answer = { headers: tag, content: content(envelope(record)) };
  if (name !== 'read') {
    return {
      '200': { description: 'The record as it is now.', ...answer },
      '204': { description: 'Done, where Prefer asks for no more.', headers: tag },
    };
  }
  return {
    '200': { description: 'The record.', ...answer },
    '304': { description: 'The answer that If-None-Match names still holds.', headers: tag },
  };
}

/** Every problem of a status shares one response. */
const responseName = (status: number): string => `problem.${status}`;

function problemsOf(graph: Graph, { name, under }: Endpoint): ProblemName[] {
  return [...PROBLEMS[name], ...(under === undefined ? [] : (['not-found'] as const)), ...accessProblems(graph)];
}

/** What any endpoint may answer to callers who may not ask it, or not so often. */
const accessProblems = ({ identity, service, models }: Graph): ProblemName[] => [
  ...(identity === undefined ? [] : (['sign-in-required', 'invalid-token'] as const)),
  ...(models.every(isOpen) ? [] : (['not-allowed'] as const)),
  ...(service.limits.rate === undefined ? [] : (['too-many-requests'] as const)),
];

function problemResponses(problems: readonly ProblemName[]): Record<string, unknown> {
  const statuses = new Set([...problems, ...ALWAYS].map((problem) => problemTypes[problem].status));
  return Object.fromEntries([...statuses].sort().map((status) => [status, ref('responses', responseName(status))]));
}

function responsesOf(
  graph: Graph,
  endpoints: readonly Endpoint[],
  more: readonly ProblemName[],
): Record<string, unknown> {
  const used = new Set([...endpoints.flatMap((endpoint) => problemsOf(graph, endpoint)), ...more, ...ALWAYS]);
  const statuses = [...new Set([...used].map((problem) => problemTypes[problem].status))].sort();
  return Object.fromEntries(
    statuses.map((status) => {
      const problems = [...used].filter((problem) => problemTypes[problem].status === status).sort();
      const description = problems.map((problem) => `${problemTypes[problem].title} (${problem}).`).join(' ');
      const content = { 'application/problem+json': { schema: ref('schemas', 'problem') } };
      return [responseName(status), { description, content }];
    }),
  );
}
