import { filterLanguages } from '../http/filter.ts';
import type { Endpoint } from '../http/endpoints.ts';
import type { Graph, Operation, ValueSpec } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { pascalCase, spoken, withArticle } from '../model/names.ts';
import { headersOf } from './parameters.ts';
import { recordName, valueSchema } from './schemas.ts';
import type { JsonSchema } from './schemas.ts';

export const ref = (kind: 'schemas' | 'parameters' | 'responses', name: string) => ({
  $ref: `#/components/${kind}/${name}`,
});

/** What every answer is in. */
export const envelope = (data: JsonSchema, more: JsonSchema = {}): JsonSchema => ({
  type: 'object',
  properties: { data, ...more },
  required: ['data', ...Object.keys(more)],
  additionalProperties: false,
});

export const content = (schema: JsonSchema) => ({ 'application/json': { schema } });

type Responses = Record<string, unknown>;

/** A verb of the project's own: its input in the body, or in the query where it only reads. */
export function operationItem(
  graph: Graph,
  { model, operation }: Endpoint,
  problems: Responses,
): Record<string, unknown> {
  const { name, description, input, reads, target } = operation!;
  const whom = target === 'record' ? withArticle(model.name) : spoken(model.plural);
  const inputs = objectOf(input, 'request');
  const parameters = reads
    ? [...input].map(([member, spec]) => {
        const { description: about, ...schema } = valueSchema(spec, 'request');
        const required = isNeeded(spec) ? { required: true } : {};
        return {
          name: member,
          in: 'query',
          ...required,
          ...(about === undefined ? {} : { description: about }),
          schema,
        };
      })
    : [
        ...headersOf(model, 'operation').map((header) => ref('parameters', header)),
        ...(target === 'record' ? [ref('parameters', 'if-match')] : []),
      ];
  const required = [...input.values()].some(isNeeded);
  return {
    operationId: `${pascalCase(name).replace(/^./, (letter) => letter.toLowerCase())}${pascalCase(target === 'record' ? model.name : model.plural)}_operation`, // prettier-ignore
    summary: `${spoken(name).replace(/^./, (letter) => letter.toUpperCase())}, of ${whom}`,
    ...(description === undefined ? {} : { description }),
    tags: [model.plural],
    ...(parameters.length > 0 ? { parameters } : {}),
    ...(reads || input.size === 0 ? {} : { requestBody: { required, content: content(inputs) } }),
    responses: { ...successOf(graph, operation!), ...problems },
  };
}

const isNeeded = ({ rules }: ValueSpec): boolean =>
  rules.required && rules.default === undefined && rules.defaultTo === undefined;

function objectOf(members: ReadonlyMap<string, ValueSpec>, side: 'request' | 'response'): JsonSchema {
  const required = [...members].filter(([, spec]) => (side === 'request' ? isNeeded(spec) : spec.rules.required));
  return {
    type: 'object',
    properties: Object.fromEntries([...members].map(([name, spec]) => [name, valueSchema(spec, side)])),
    ...(required.length > 0 ? { required: required.map(([name]) => name) } : {}),
    additionalProperties: false,
  };
}

function successOf(graph: Graph, { output, status, reads }: Operation): Responses {
  if (output === undefined) return { [status === 200 ? 204 : status]: { description: 'Done.' } };
  if (output.kind === 'fields') {
    return answered(status, 'What came of it.', objectOf(output.fields, 'response'), reads);
  }
  const { access } = modelOf(graph, output.model);
  const whole = ref('schemas', recordName(modelOf(graph, output.model)));
  // A record that is not for the caller is null to them.
  const isForAll = access.verbs.read.some(({ kind }) => kind === 'anybody');
  const record = isForAll || output.kind === 'many' ? whole : { anyOf: [whole, { type: 'null' }] };
  const many = output.kind === 'many';
  const about = many ? 'The records that came of it.' : 'The record that came of it.';
  return answered(status, about, many ? { type: 'array', items: record } : record, reads);
}

const answered = (status: number, description: string, data: JsonSchema, reads: boolean): Responses => ({
  [status]: { description, content: content(envelope(data)) },
  ...(reads || status === 204 ? {} : { '204': { description: 'Done, where Prefer asks for no more.' } }),
});

/** The history of a record, or of all records of a model. */
export function journalItem(graph: Graph, { model, ofRecord }: Endpoint, problems: Responses): Record<string, unknown> {
  const lines: JsonSchema = { type: 'array', items: ref('schemas', 'journal'), maxItems: graph.service.paging.most };
  const query = (name: string, schema: JsonSchema) => ({
    name,
    in: 'query',
    description: `Only lines whose ${name} is this.`,
    schema,
  });
  return {
    operationId: `journalOf${pascalCase(ofRecord ? model.name : model.plural)}`,
    summary: `What was done to ${ofRecord ? withArticle(model.name) : spoken(model.plural)}, the latest first`,
    tags: [model.plural],
    parameters: [
      query('action', { type: 'string', enum: ['create', 'update', 'delete'] }),
      query('by', { type: 'string' }),
      ...PAGE_PARAMETERS.map((shared) => ref('parameters', shared)),
    ],
    responses: {
      '200': { description: 'A page of lines.', content: content(envelope(lines, { page: ref('schemas', 'page') })) },
      ...problems,
    },
  };
}

/** What all lists take. */
export const PAGE_PARAMETERS = ['filter', 'filter-lang', 'limit', 'after', 'before', 'offset', 'total'] as const;

export function pageParameters({ service }: Graph): [string, unknown][] {
  const { default: usual, most } = service.paging;
  const parameters: Readonly<Record<(typeof PAGE_PARAMETERS)[number], readonly [string, JsonSchema]>> = {
    filter: ['A condition in CQL2; only records for which it is true.', { type: 'string' }],
    'filter-lang': [
      'The encoding of `filter`.',
      { type: 'string', enum: [...filterLanguages], default: filterLanguages[0] },
    ],
    limit: ['How many records to show.', { type: 'integer', minimum: 1, maximum: most, default: usual }],
    after: ['A cursor of `page.next`: the records after it.', { type: 'string' }],
    before: ['A cursor of `page.prev`: the records before it.', { type: 'string' }],
    offset: ['So many records are passed over, for jumping to a page by its number.', { type: 'integer', minimum: 0 }],
    total: ['Whether to count all records, as `page.total`.', { type: 'boolean', default: false }],
  };
  return Object.entries(parameters).map(([name, [description, schema]]) => [
    name,
    { name, in: 'query', description, schema },
  ]);
}
