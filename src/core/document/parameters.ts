import { keyParameter } from '../http/endpoints.ts';
import type { Endpoint, EndpointName } from '../http/endpoints.ts';
import { filterable, sortable } from '../http/list-request.ts';
import { shownParameters } from '../http/shown.ts';
import type { Graph, Model } from '../model/graph.ts';
import { withArticle } from '../model/names.ts';
import { relatedNames } from '../model/related.ts';
import { MOST_RELATED, ownNames } from '../query/shown.ts';
import { memberSchema, recordName } from './schemas.ts';
import type { JsonSchema } from './schemas.ts';

export const keyName = (model: Model): string => `${recordName(model)}.key`;
export const filterName = (model: Model, member: string): string => `${recordName(model)}.where.${member}`;

/** The parameters that the endpoints of a model refer to. */
export function parametersOf(graph: Graph, model: Model): [string, unknown][] {
  const ofRecord =
    (['read', 'replace', 'update', 'delete'] as const).some((name) => model.endpoints.has(name)) ||
    model.journal ||
    model.operations.some(({ target }) => target === 'record');
  const ofParts = model.parts.some((part) => {
    const endpoints = graph.byName.get(part)?.endpoints;
    return endpoints?.has('list') === true || endpoints?.has('create') === true;
  });
  const { readOnly: _readOnly, description: _about, ...keySchema } = memberSchema(model.key, model, 'response');
  const key = {
    name: keyParameter(model),
    in: 'path',
    required: true,
    description: `The key of ${withArticle(model.name)}.`,
    schema: keySchema,
  };
  const parameters: [string, unknown][] = ofRecord || ofParts ? [[keyName(model), key]] : [];
  if (model.endpoints.has('list'))
    parameters.push([`${recordName(model)}.sort`, sortParameter(model, sortable(model))]);
  if (model.endpoints.has('list') || model.endpoints.has('clear')) {
    parameters.push(
      ...filterable(model).map((field): [string, unknown] => {
        const { readOnly: _ignored, description, ...schema } = memberSchema(field, model, 'response');
        const about = `Only records whose ${field.member} is this value; given again, any of the values.`;
        const text = typeof description === 'string' ? `${about} ${description}` : about;
        const items = { ...schema, ...(Array.isArray(schema.type) ? { type: schema.type[0] as string } : {}) };
        return [
          filterName(model, field.member),
          {
            ...queryParameter(field.member, text, { type: 'array', items: withoutNull(items) }),
            style: 'form',
            explode: true,
          },
        ];
      }),
    );
  }
  if (model.endpoints.has('list') || model.endpoints.has('read')) {
    parameters.push(...shownParametersOf(model));
  }
  return parameters;
}

/** The headers that a write of a model's records takes. */
export function headersOf(model: Model, name: EndpointName): string[] {
  if (name === 'create' || name === 'operation') return ['idempotency-key', 'prefer'];
  if (name === 'delete' || name === 'update' || name === 'replace') {
    return [model.conditional ? 'if-match.required' : 'if-match', 'prefer'];
  }
  return [];
}

const headerParameter = (name: string, description: string, required = false) => ({
  name,
  in: 'header',
  ...(required ? { required } : {}),
  description,
  schema: { type: 'string' },
});

const IF_MATCH = 'The ETag of the record as it was read: where it has changed since, the answer is 412 (RFC 9110).';

/** Those that any of these endpoints refers to. */
export function headerParameters(endpoints: readonly Endpoint[]): [string, unknown][] {
  const all: Readonly<Record<string, unknown>> = {
    'if-match': headerParameter('If-Match', IF_MATCH),
    'if-match.required': headerParameter('If-Match', IF_MATCH, true),
    'idempotency-key': headerParameter(
      'Idempotency-Key',
      'Sent again with the same key, the same request is answered as before, and done once.',
    ),
    prefer: headerParameter('Prefer', '`return=minimal` for an answer without a body, or `return=representation` (RFC 7240).'), // prettier-ignore
  };
  const writes = endpoints.filter(({ method }) => method !== 'GET');
  const used = new Set(writes.flatMap(({ model, name }) => headersOf(model, name)));
  if (writes.some(({ operation, ofRecord }) => operation !== undefined && ofRecord)) used.add('if-match');
  return Object.entries(all).filter(([name]) => used.has(name));
}

const queryParameter = (name: string, description: string, schema: JsonSchema) => ({
  name,
  in: 'query',
  description,
  schema,
});

function withoutNull(schema: JsonSchema): JsonSchema {
  const values = schema.enum as unknown[] | undefined;
  return values === undefined ? schema : { ...schema, enum: values.filter((value) => value !== null) };
}

/** The parameters that say what is shown of a record. */
export const shownNames = (model: Model): string[] => shownParameters.map((name) => `${recordName(model)}.${name}`);

function shownParametersOf(model: Model): [string, unknown][] {
  const listed = (about: string, items: JsonSchema) => ({ about, schema: { type: 'array', items } });
  const own = ownNames(model);
  const related = relatedNames(model);
  const along = { pattern: `^(${related.join('|')})\\..+$`, description: 'A member of related records.' };
  const named =
    related.length === 0 ? { type: 'string', enum: own } : { type: 'string', anyOf: [{ enum: own }, along] };
  const parameters = {
    view: { about: 'Which view of the records to show.', schema: { type: 'string', enum: [...model.views.keys()] } },
    fields: listed('Exactly which members to show, along relations too, parted by commas.', named),
    include: listed(
      `Related records to show along with each, nested with dots, parted by commas: ${related.join(', ') || 'there are none'}. Of many, the first ${MOST_RELATED} come.`,
      { type: 'string', pattern: related.length === 0 ? '^$' : `^(${related.join('|')})(\\..+)?$` },
    ),
  };
  return shownParameters.map((name) => {
    const { about, schema } = parameters[name];
    const form = name === 'view' ? {} : { style: 'form', explode: false };
    return [`${recordName(model)}.${name}`, { ...queryParameter(name, about, schema), ...form }];
  });
}

function sortParameter(model: Model, members: readonly string[]) {
  const own = { enum: members.flatMap((member) => [member, `-${member}`]) };
  const ones = [...model.relations, ...model.reverses.filter(({ one }) => one)].map(({ name }) => name);
  const along = {
    pattern: `^-?(${ones.join('|')})\\..+$`,
    description: 'A field of the one record that a relation leads to.',
  };
  const items = ones.length === 0 ? { type: 'string', ...own } : { type: 'string', anyOf: [own, along] };
  const standing = model.sort.map(({ field, descending }) => (descending ? '-' : '') + field.member).join(',');
  const about = `The order: fields and computed values, along relations to one record too, parted by commas, a minus for descending, nulls last. Left out: ${standing}.`;
  return { ...queryParameter('sort', about, { type: 'array', items }), style: 'form', explode: false };
}
