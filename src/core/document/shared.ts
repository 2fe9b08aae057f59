import { problemTypes } from '../api/problems.ts';
import { MOST_STEPS } from '../api/limits.ts';
import type { Components, Ref } from './components.ts';
import { objectOf } from './json-schema.ts';
import type { JsonSchema } from './json-schema.ts';

const LINK = { type: ['string', 'null'], format: 'uri-reference' };

export const pageRef = (components: Components): Ref =>
  components.ref('schemas', 'page', () => ({
    ...objectOf(
      {
        limit: { type: 'integer', description: 'The number of records that a page shows at most.' },
        total: { type: 'integer', description: 'The number of all records, where it was asked for.' },
        next: { ...LINK, description: 'The next page, or null on the last one.' },
        prev: { ...LINK, description: 'The page before, or null on the first one.' },
      },
      ['limit', 'next', 'prev'],
    ),
    description: 'Where in the list this page stands.',
  }));

/** RFC 9457, with the members that problems of this service have beside. */
export const problemRef = (components: Components): Ref =>
  components.ref('schemas', 'problem', () => ({
    ...objectOf(
      {
        type: {
          type: 'string',
          format: 'uri-reference',
          enum: Object.keys(problemTypes).map((name) => `/problems/${name}`),
          description: 'The kind of the problem, and a page about it.',
        },
        title: { type: 'string' },
        status: { type: 'integer' },
        detail: { type: 'string' },
        instance: { type: 'string', format: 'uri-reference' },
        request: { type: 'string', description: 'The number under which the log of the service knows the request.' },
        errors: { type: 'array', items: faultRef(components) },
      },
      ['type', 'title', 'status', 'instance', 'request'],
    ),
    description: 'What went wrong (RFC 9457).',
  }));

/** What a broken rule asks for, by the rule's name: `"minimum": 1`. */
const RULE_PARAMETERS: Readonly<Record<string, JsonSchema>> = {
  minLength: { type: 'integer' },
  maxLength: { type: 'integer' },
  pattern: { type: 'string' },
  format: { type: 'string' },
  minimum: { type: 'number' },
  maximum: { type: 'number' },
  exclusiveMinimum: { type: 'number' },
  exclusiveMaximum: { type: 'number' },
  multipleOf: { type: 'number' },
  minItems: { type: 'integer' },
  maxItems: { type: 'integer' },
  enum: { type: 'array' },
  const: {},
};

const faultRef = (components: Components): Ref =>
  components.ref('schemas', 'problem.error', () => ({
    ...objectOf(
      {
        pointer: { type: 'string', format: 'json-pointer', description: 'The place in the body (RFC 6901).' },
        parameter: { type: 'string', description: 'The query parameter.' },
        rule: { type: 'string', description: 'The rule that is broken.' },
        detail: { type: 'string' },
        ...RULE_PARAMETERS,
        available: { type: 'number', description: 'What is left, where more was asked for.' },
      },
      ['detail'],
    ),
    description: 'One thing that is wrong, and its place.',
  }));

const POINTER = { type: 'string', format: 'json-pointer', pattern: '^/' };
const step = (ops: readonly string[], ...required: string[]): JsonSchema => ({
  properties: { op: { enum: ops } },
  ...(required.length > 0 ? { required } : {}),
});

/** RFC 6902, of members: the record as a whole is for `PUT`. */
export const patchSchema = (): JsonSchema => ({
  type: 'array',
  description: 'Changes of a record, one after the other (RFC 6902).',
  maxItems: MOST_STEPS,
  items: {
    type: 'object',
    properties: { op: { type: 'string' }, path: POINTER, from: POINTER, value: {} },
    required: ['op', 'path'],
    anyOf: [step(['add', 'replace', 'test'], 'value'), step(['remove']), step(['move', 'copy'], 'from')],
  },
  examples: [
    [
      { op: 'test', path: '/name', value: 'Name' },
      { op: 'replace', path: '/name', value: 'Another name' },
    ],
  ],
});

/** What every answer is in. */
export const envelope = (
  data: JsonSchema | Ref,
  more: Readonly<Record<string, JsonSchema | Ref>> = {},
  optional: Readonly<Record<string, JsonSchema | Ref>> = {},
): JsonSchema => objectOf({ data: { ...data }, ...more, ...optional }, ['data', ...Object.keys(more)]);

/** The ETags of many records, beside them. */
export const etagsRef = (components: Components): Ref =>
  components.ref('schemas', 'etags', () => ({
    type: 'array',
    items: { type: ['string', 'null'] },
    description: 'The ETag of each of the records, in their order, for If-Match.',
  }));

/** The same around something that has a name, in which it can be referred to too. */
export const inData = (components: Components, data: Ref): Ref =>
  components.ref('schemas', `data.${data.$ref.split('/').at(-1)}`, () => envelope(data));

export const json = (schema: JsonSchema | Ref): JsonSchema => ({ 'application/json': { schema } });
