import { BODY_TYPES } from '../http/body.ts';
import { endpointsOf } from '../http/endpoints.ts';
import type { Endpoint, EndpointName } from '../http/endpoints.ts';
import { filterable } from '../http/list-request.ts';
import { problemTypes } from '../http/problems.ts';
import type { ProblemName } from '../http/problems.ts';
import type { Graph, Model } from '../model/graph.ts';
import { pascalCase, spoken, withArticle } from '../model/names.ts';
import { filterName, keyName, parametersOf, shownNames } from './parameters.ts';
import { bodyName, bodySchema, KINDS, recordName, recordSchema } from './schemas.ts';
import type { JsonSchema } from './schemas.ts';
import { sharedSchemas } from './shared-schemas.ts';

const ref = (kind: 'schemas' | 'parameters' | 'responses', name: string) => ({ $ref: `#/components/${kind}/${name}` });

/** Which problems each endpoint may answer with, beside those that any may. */
const PROBLEMS: Readonly<Record<EndpointName, readonly ProblemName[]>> = {
  list: ['invalid-parameter', 'not-acceptable'],
  read: ['invalid-parameter', 'not-found', 'not-acceptable'],
  create: ['malformed-request', 'not-acceptable', 'taken', 'too-large', 'unsupported-media-type', 'invalid-body'],
  replace: [
    'malformed-request', 'not-found', 'not-acceptable', 'taken', 'moved-on', 'too-large', 'unsupported-media-type', 'invalid-body',
  ], // prettier-ignore
  update: [
    'malformed-request', 'not-found', 'not-acceptable', 'taken', 'moved-on', 'too-large', 'unsupported-media-type', 'invalid-body',
  ], // prettier-ignore
  delete: ['invalid-parameter', 'not-found', 'not-acceptable', 'still-referred-to'],
};
const ALWAYS: readonly ProblemName[] = ['inner-defect', 'store-unavailable', 'time-ran-out'];

/** The OpenAPI 3.1 document of a service: the same bytes for the same declarations. */
export function openApi(graph: Graph): Record<string, unknown> {
  const { name, version, description } = graph.service;
  const endpoints = graph.models.flatMap((model) => endpointsOf(graph, model));
  const paths: Record<string, Record<string, unknown>> = {};
  for (const endpoint of endpoints) {
    const item = (paths[endpoint.path] ??= pathItem(endpoint));
    item[endpoint.method.toLowerCase()] = operation(graph, endpoint);
  }
  const lists = endpoints.some((endpoint) => endpoint.name === 'list');
  return {
    openapi: '3.1.0',
    info: { title: name, version, ...(description === undefined ? {} : { description }) },
    servers: [{ url: '/', description: 'The address that this document was read from.' }],
    tags: graph.models.map((model) => ({
      name: model.plural,
      ...(model.description === undefined ? {} : { description: model.description }),
    })),
    paths,
    components: {
      schemas: {
        ...Object.fromEntries(graph.models.flatMap((model) => schemasOf(graph, model))),
        ...sharedSchemas(lists),
      },
      parameters: Object.fromEntries(graph.models.flatMap((model) => parametersOf(graph, model))),
      responses: responsesOf(endpoints),
    },
  };
}

function schemasOf(graph: Graph, model: Model): [string, JsonSchema][] {
  const has = (name: EndpointName): boolean => model.endpoints.has(name);
  const bodies = KINDS.filter((kind) => has(kind)).map((kind): [string, JsonSchema] => [
    bodyName(model, kind),
    bodySchema(graph, model, kind),
  ]);
  return [[recordName(model), recordSchema(graph, model)], ...bodies];
}

function pathItem(endpoint: Endpoint): Record<string, unknown> {
  const inPath = endpoint.under ?? (endpoint.path.endsWith('}') ? endpoint.model : undefined);
  return inPath === undefined ? {} : { parameters: [ref('parameters', keyName(inPath))] };
}

const VERBS: Readonly<Record<EndpointName, string>> = {
  list: 'List',
  read: 'Read',
  create: 'Create',
  replace: 'Replace',
  update: 'Update',
  delete: 'Delete',
};

function operation(graph: Graph, { name, model, under }: Endpoint): Record<string, unknown> {
  const many = name === 'list';
  const of = under === undefined ? '' : ` of ${withArticle(under.name)}`;
  const summary = `${VERBS[name]} ${many ? spoken(model.plural) : withArticle(model.name)}${of}`;
  const nested = under === undefined ? '' : `_in${recordName(under)}`;
  const operationId = `${name}${pascalCase(many ? model.plural : model.name)}${nested}`;
  const parameters = [
    ...(many
      ? [
          ...filterable(model)
            .filter((field) => under === undefined || field !== model.parent?.field)
            .map((field) => ref('parameters', filterName(model, field.member))),
          ref('parameters', `${recordName(model)}.sort`),
          ...['filter', 'filter-lang', 'limit', 'after', 'before', 'offset', 'total'].map((shared) =>
            ref('parameters', shared),
          ),
        ]
      : []),
    ...(many || name === 'read' ? shownNames(model).map((shown) => ref('parameters', shown)) : []),
  ];
  return {
    operationId,
    summary,
    tags: [model.plural],
    ...(parameters.length > 0 ? { parameters } : {}),
    ...(isWrite(name) ? { requestBody: requestBody(graph, model, name, under) } : {}),
    responses: { ...success(graph, name, model), ...problemResponses(name, under !== undefined) },
  };
}

const isWrite = (name: EndpointName): name is 'create' | 'replace' | 'update' =>
  name === 'create' || name === 'replace' || name === 'update';

function requestBody(graph: Graph, model: Model, kind: 'create' | 'replace' | 'update', under: Model | undefined) {
  const whole = ref('schemas', bodyName(model, kind));
  // Under a parent the path names it: the body may leave it out.
  const schema = under === undefined ? whole : nestedBody(graph, model);
  return { required: true, content: Object.fromEntries(BODY_TYPES[kind].map((type) => [type, { schema }])) };
}

function nestedBody(graph: Graph, model: Model): JsonSchema {
  const schema = bodySchema(graph, model, 'create');
  const { member } = model.parent!.field;
  const required = (schema.required as string[] | undefined)?.filter((name) => name !== member) ?? [];
  const { required: _all, ...rest } = schema;
  return required.length > 0 ? { ...rest, required } : rest;
}

function success(graph: Graph, name: EndpointName, model: Model): Record<string, unknown> {
  if (name === 'delete') return { '204': { description: 'Deleted.' } };
  const record = ref('schemas', recordName(model));
  const envelope = (data: JsonSchema, more: JsonSchema = {}): JsonSchema => ({
    type: 'object',
    properties: { data, ...more },
    required: ['data', ...Object.keys(more)],
    additionalProperties: false,
  });
  const content = (schema: JsonSchema) => ({ 'application/json': { schema } });
  const header = (description: string, format?: string) => ({
    description,
    schema: { type: 'string', ...(format === undefined ? {} : { format }) },
  });
  if (name === 'list') {
    const schema = envelope(
      { type: 'array', items: record, maxItems: graph.service.paging.most },
      { page: ref('schemas', 'page') },
    );
    const headers = { Link: header('The first, the next and the previous page (RFC 8288).') };
    return { '200': { description: 'A page of records.', headers, content: content(schema) } };
  }
  if (name === 'create') {
    const headers = { Location: header('The path of the new record.', 'uri-reference') };
    return { '201': { description: 'The record as it was made.', headers, content: content(envelope(record)) } };
  }
  const answer = { content: content(envelope(record)) };
  if (name !== 'read') return { '200': { description: 'The record as it is now.', ...answer } };
  const headers = {
    ETag: header('Tells this answer from others; its first part tells states of the record apart (RFC 9110).'),
  };
  return {
    '200': { description: 'The record.', headers, ...answer },
    '304': { description: 'The answer that If-None-Match names still holds.', headers },
  };
}

/** Every problem of a status shares one response. */
const responseName = (status: number): string => `problem.${status}`;

function problemsOf(name: EndpointName, nested: boolean): ProblemName[] {
  return [...PROBLEMS[name], ...(nested ? (['not-found'] as const) : []), ...ALWAYS];
}

function problemResponses(name: EndpointName, nested: boolean): Record<string, unknown> {
  const statuses = new Set(problemsOf(name, nested).map((problem) => problemTypes[problem].status));
  return Object.fromEntries([...statuses].sort().map((status) => [status, ref('responses', responseName(status))]));
}

function responsesOf(endpoints: readonly Endpoint[]): Record<string, unknown> {
  const used = new Set(endpoints.flatMap(({ name, under }) => problemsOf(name, under !== undefined)));
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
