import type { JsonSchema } from './schemas.ts';

/** The schemas that all models share. */
export function sharedSchemas(lists: boolean): Record<string, JsonSchema> {
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
          },
          required: ['detail'],
          additionalProperties: false,
        },
      },
    },
    required: ['type', 'title', 'status', 'instance', 'request'],
    additionalProperties: false,
  };
  return { ...(lists ? { page } : {}), problem };
}
