import type { Field, Model } from '../model/graph.ts';
import { pascalCase, withArticle } from '../model/names.ts';
import { isSettable } from '../rules/schema.ts';
import type { ClientKind } from '../http/body.ts';

export type JsonSchema = Record<string, unknown>;

/** The bare type of a field's values, as JSON Schema 2020-12 says it. */
function typeSchema(field: Field, side: 'request' | 'response'): JsonSchema {
  switch (field.type) {
    case 'string':
    case 'text':
      return { type: 'string' };
    case 'integer':
      return { type: 'integer', minimum: Number.MIN_SAFE_INTEGER, maximum: Number.MAX_SAFE_INTEGER };
    case 'number':
      return { type: 'number' };
    case 'boolean':
      return { type: 'boolean' };
    case 'decimal': {
      const digits =
        field.scale === 0 ? '' : side === 'request' ? `(\\.\\d{1,${field.scale}}0*)?` : `\\.\\d{${field.scale}}`;
      return { type: side === 'request' ? ['string', 'number'] : 'string', pattern: `^-?\\d+${digits}$` };
    }
    case 'time':
      return { type: 'string', pattern: '^([01]\\d|2[0-3]):[0-5]\\d:[0-5]\\d(\\.\\d+)?$' };
    default:
      return { type: 'string', format: field.type };
  }
}

/** The rules that JSON Schema has a word for. Those of a decimal compare numbers, and its JSON is text: they go in words. */
function ruleKeywords(field: Field): JsonSchema {
  const { rules } = field;
  const keywords: JsonSchema = {};
  const put = (keyword: string, value: unknown): void => {
    if (value !== undefined) keywords[keyword] = value;
  };
  put('minLength', rules.minLength ?? (rules.required && ['string', 'text'].includes(field.type) ? 1 : undefined));
  put('maxLength', rules.maxLength);
  put('pattern', rules.pattern);
  if (field.type !== 'decimal') {
    put('minimum', rules.minimum);
    put('maximum', rules.maximum);
    put('exclusiveMinimum', rules.exclusiveMinimum);
    put('exclusiveMaximum', rules.exclusiveMaximum);
    put('multipleOf', rules.multipleOf);
  }
  put('const', rules.const);
  put('enum', rules.enum);
  return keywords;
}

function describe(field: Field, model: Model): string | undefined {
  const { rules } = field;
  const words: string[] = [];
  if (field.description !== undefined) words.push(field.description);
  if (field.refersTo !== undefined) {
    const part = model.parent?.field === field ? ' that it is a part of' : '';
    words.push(`The key of ${withArticle(field.refersTo)}${part}.`);
  }
  if (field.type === 'decimal') {
    const bounds = (
      [
        ['at least', rules.minimum],
        ['at most', rules.maximum],
        ['more than', rules.exclusiveMinimum],
        ['less than', rules.exclusiveMaximum],
        ['a multiple of', rules.multipleOf],
      ] as const
    ).filter(([, bound]) => bound !== undefined);
    if (bounds.length > 0) words.push(`${bounds.map(([word, bound]) => `${word} ${bound}`).join(', ')}.`);
  }
  if (rules.trim) words.push('Blanks at both ends are cut off.');
  if (rules.letters !== undefined) words.push(`Kept in ${rules.letters} case.`);
  if (rules.immutable && !rules.readOnly) words.push('Can not be changed once it is set.');
  return words.length === 0 ? undefined : words.join(' ').replace(/^./, (letter) => letter.toUpperCase());
}

/** The schema of one member, on the side of requests (with the rules) or of answers. */
export function memberSchema(field: Field, model: Model, side: 'request' | 'response'): JsonSchema {
  // Trimming and changing letters come before the rules, so that the rules don't bind what is sent.
  const changes = side === 'request' && (field.rules.trim || field.rules.letters !== undefined);
  const type = typeSchema(field, side);
  const keywords = changes ? withoutTextRules(ruleKeywords(field)) : ruleKeywords(field);
  let schema: JsonSchema = { ...type, ...keywords };
  if (type.pattern !== undefined && keywords.pattern === undefined) schema.pattern = type.pattern;
  if (!field.rules.required) schema = nullable(schema);
  const description = describe(field, model);
  return {
    ...schema,
    ...(description === undefined ? {} : { description }),
    ...(side === 'request' && field.rules.default !== undefined ? { default: field.rules.default } : {}),
    ...(field.rules.readOnly ? { readOnly: true } : {}),
    ...(field.examples.length > 0 ? { examples: field.examples } : {}),
  };
}

function withoutTextRules(keywords: JsonSchema): JsonSchema {
  const { minLength: _least, maxLength: _most, pattern: _pattern, enum: _enum, const: _const, ...rest } = keywords;
  return rest;
}

function nullable(schema: JsonSchema): JsonSchema {
  const types = Array.isArray(schema.type) ? (schema.type as string[]) : [schema.type as string];
  const { const: only, ...rest } = schema;
  const values = only === undefined ? (schema.enum as unknown[] | undefined) : [only];
  return { ...rest, type: [...types, 'null'], ...(values === undefined ? {} : { enum: [...values, null] }) };
}

/** A record as answers show it. With `fields` a client may leave members out, so none is required. */
export function recordSchema(model: Model): JsonSchema {
  return {
    type: 'object',
    ...(model.description === undefined ? {} : { description: model.description }),
    properties: Object.fromEntries(model.fields.map((field) => [field.member, memberSchema(field, model, 'response')])),
    additionalProperties: false,
  };
}

export const KINDS: readonly ClientKind[] = ['create', 'replace', 'update'];

export const recordName = (model: Model): string => pascalCase(model.name);
/** With a dot, which no model's own name has: `Hut.create` can never be a model. */
export const bodyName = (model: Model, kind: ClientKind): string => `${recordName(model)}.${kind}`;

/** A body of one kind of write. Members that can only be sent back as they were read have their plain type. */
export function bodySchema(model: Model, kind: ClientKind): JsonSchema {
  const members = model.fields.filter((field) => kind !== 'create' || isSettable(field, kind));
  const required = members
    .filter((field) => kind !== 'update' && isSettable(field, kind))
    .filter((field) => field.rules.required && field.rules.default === undefined)
    .map((field) => field.member);
  const properties = members.map((field) => {
    const { default: standing, ...schema } = memberSchema(field, model, 'request');
    // A patch leaves alone what it doesn't name: a default would say otherwise.
    return [field.member, kind === 'update' || standing === undefined ? schema : { ...schema, default: standing }];
  });
  return {
    type: 'object',
    description: `What it takes to ${kind} ${withArticle(model.name)}.`,
    properties: Object.fromEntries(properties) as JsonSchema,
    ...(required.length > 0 ? { required } : {}),
    additionalProperties: false,
  };
}
