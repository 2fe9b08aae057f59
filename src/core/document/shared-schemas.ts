import type { Endpoint } from '../http/endpoints.ts';
import type { JsonSchema } from './schemas.ts';

/** The schemas that all models share. */
export function sharedSchemas(
  lists: boolean,
  endpoints: readonly Pick<Endpoint, 'name'>[],
): Record<string, JsonSchema> {
  const link = { type: ['string', 'null'], format: 'uri-reference' };
  const page: JsonSchema = {
    type: 'object',
    description: 'Where in the list this page stands.',
    properties: {
      limit: { type: 'integer', description: 'The number of records that a page shows at most.' },
      total: { type: 'integer', description: 'The number of all records, where it was asked for.' },
      next: { ...link, description: 'The next page, or null on the last one.' },
      prev: { ...link, description: 'The page before, or null on the first one.' },
    },
    required: ['limit', 'next', 'prev'],
    additionalProperties: false,
  };
  const problem: JsonSchema = {
    type: 'object',
    description: 'What went wrong (RFC 9457).',
    properties: {
      type: { type: 'string', format: 'uri-reference', description: 'The kind of the problem, and a page about it.' },
      title: { type: 'string' },
      status: { type: 'integer' },
      detail: { type: 'string' },
      instance: { type: 'string', format: 'uri-reference' },
      request: { type: 'string', description: 'The number under which the log of the service knows the request.' },
      errors: {
        type: 'array',
        items: {
          type: 'object',
          properties: {
            pointer: { type: 'string', format: 'json-pointer', description: 'The place in the body (RFC 6901).' },
            parameter: { type: 'string', description: 'The query parameter.' },
            rule: { type: 'string', description: 'The rule that is broken.' },
            detail: { type: 'string' },
            available: { type: 'string', description: 'What is left, where more was asked for.' },
          },
          required: ['detail'],
          additionalProperties: false,
        },
      },
    },
    required: ['type', 'title', 'status', 'instance', 'request'],
    additionalProperties: false,
  };
  const has = (name: Endpoint['name']): boolean => endpoints.some((endpoint) => endpoint.name === name);
  return {
    ...(lists ? { page } : {}),
    ...(has('update') ? { patch } : {}),
    ...(has('journal') ? { journal } : {}),
    problem,
  };
}

const pointer = { type: 'string', format: 'json-pointer' };

/** RFC 6902. */
const patch: JsonSchema = {
  type: 'array',
  description: 'Changes of a record, one after the other (RFC 6902).',
  items: {
    type: 'object',
    properties: {
      op: { enum: ['add', 'remove', 'replace', 'move', 'copy', 'test'] },
      path: pointer,
      from: pointer,
      value: {},
    },
    required: ['op', 'path'],
  },
};

const journal: JsonSchema = {
  type: 'object',
  description: 'Something that was done to a record.',
  properties: {
    id: { type: 'string', format: 'uuid', description: 'The key of this line.' },
    record: { type: 'string', description: 'The key of the record.' },
    at: { type: 'string', format: 'date-time', description: 'When it was done.' },
    by: { type: ['string', 'null'], description: 'The key of whoever did it; null where nobody was signed in.' },
    action: { type: 'string', enum: ['create', 'update', 'delete'] },
    changes: {
      type: 'object',
      description: 'What each member was, and what it became.',
      additionalProperties: {
        type: 'object',
        properties: { before: {}, after: {} },
        additionalProperties: false,
      },
    },
  },
  additionalProperties: false,
};
