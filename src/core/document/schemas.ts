import type { Field, Graph, Model, ValueSpec } from '../model/graph.ts';
import { modelOf } from '../model/graph.ts';
import { pascalCase, spoken, withArticle } from '../model/names.ts';
import { linkedOf, relatedNames, stepCalled, viaCalled } from '../model/related.ts';
import { derivedNames, MOST_RELATED } from '../query/shown.ts';
import { isNeeded, isSettable } from '../rules/schema.ts';
import type { ClientKind } from '../http/body.ts';

export type JsonSchema = Record<string, unknown>;

type Side = 'request' | 'response';

/** The bare type of a value, as JSON Schema 2020-12 says it. */
function typeSchema(spec: ValueSpec, side: Side): JsonSchema {
  switch (spec.type) {
    case 'string':
    case 'text':
      return { type: 'string' };
    case 'secret':
      return { type: 'string', format: 'password' };
    case 'json':
      return {};
    case 'array':
      return {
        type: 'array',
        items: valueSchema({ ...spec.items!, rules: { ...spec.items!.rules, required: true } }, side),
      };
    case 'object':
      return objectSchema(spec.properties!, side);
    case 'integer':
      return { type: 'integer', minimum: Number.MIN_SAFE_INTEGER, maximum: Number.MAX_SAFE_INTEGER };
    case 'number':
      return { type: 'number' };
    case 'boolean':
      return { type: 'boolean' };
    case 'decimal': {
      const digits =
        spec.scale === 0 ? '' : side === 'request' ? `(\\.\\d{1,${spec.scale}}0*)?` : `\\.\\d{${spec.scale}}`;
      return { type: side === 'request' ? ['string', 'number'] : 'string', pattern: `^-?\\d+${digits}$` };
    }
    case 'time':
      return { type: 'string', pattern: '^([01]\\d|2[0-3]):[0-5]\\d:[0-5]\\d(\\.\\d+)?$' };
    default:
      return { type: 'string', format: spec.type };
  }
}

function objectSchema(properties: ReadonlyMap<string, ValueSpec>, side: Side): JsonSchema {
  // Answers may show a part of an object alone.
  const required = side === 'response' ? [] : [...properties].filter(([, { rules }]) => rules.required && rules.default === undefined); // prettier-ignore
  return {
    type: 'object',
    properties: Object.fromEntries([...properties].map(([name, property]) => [name, valueSchema(property, side)])),
    ...(required.length > 0 ? { required: required.map(([name]) => name) } : {}),
    additionalProperties: false,
  };
}

/** The rules that JSON Schema has a word for. Those of a decimal compare numbers, and its JSON is text: they go in words. */
function ruleKeywords(spec: ValueSpec): JsonSchema {
  const { rules } = spec;
  const keywords: JsonSchema = {};
  const put = (keyword: string, value: unknown): void => {
    if (value !== undefined) keywords[keyword] = value;
  };
  const isText = ['string', 'text', 'secret'].includes(spec.type);
  put('minLength', rules.minLength ?? (rules.required && isText ? 1 : undefined));
  put('maxLength', rules.maxLength);
  put('pattern', rules.pattern);
  put('format', rules.format);
  if (spec.type !== 'decimal') {
    put('minimum', rules.minimum);
    put('maximum', rules.maximum);
    put('exclusiveMinimum', rules.exclusiveMinimum);
    put('exclusiveMaximum', rules.exclusiveMaximum);
    put('multipleOf', rules.multipleOf);
  }
  put('minItems', rules.minItems);
  put('maxItems', rules.maxItems);
  if (rules.uniqueItems) put('uniqueItems', true);
  put('const', rules.const);
  put('enum', rules.enum);
  return keywords;
}

function describe(spec: ValueSpec, whose: Whose | undefined): string | undefined {
  const { rules } = spec;
  const words: string[] = [];
  if (spec.description !== undefined) words.push(spec.description);
  if (whose?.field.refersTo !== undefined) {
    const part = whose.model.parent?.field === whose.field ? ' that it is a part of' : '';
    words.push(`The key of ${withArticle(whose.field.refersTo)}${part}.`);
  }
  if (spec.type === 'decimal') {
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

/** The field that a value is, and its model. */
interface Whose {
  readonly field: Field;
  readonly model: Model;
}

/** The schema of one member, on the side of requests (with the rules) or of answers. */
export const memberSchema = (field: Field, model: Model, side: Side): JsonSchema => valueSchema(field, side, { field, model }); // prettier-ignore

export function valueSchema(spec: ValueSpec, side: Side, whose?: Whose): JsonSchema {
  const { rules } = spec;
  // Trimming and changing letters come before the rules, so that the rules don't bind what is sent.
  const changes = side === 'request' && (rules.trim || rules.letters !== undefined);
  const type = typeSchema(spec, side);
  const keywords = changes ? withoutTextRules(ruleKeywords(spec)) : ruleKeywords(spec);
  let schema: JsonSchema = { ...type, ...keywords };
  if (type.pattern !== undefined && keywords.pattern === undefined) schema.pattern = type.pattern;
  if (!rules.required && spec.type !== 'json') schema = nullable(schema);
  const description = describe(spec, whose);
  return {
    ...schema,
    ...(description === undefined ? {} : { description }),
    ...(side === 'request' && rules.default !== undefined ? { default: rules.default } : {}),
    ...(rules.readOnly ? { readOnly: true } : {}),
    ...(rules.writeOnly ? { writeOnly: true } : {}),
    ...(spec.examples.length > 0 ? { examples: spec.examples } : {}),
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
export function recordSchema(graph: Graph, model: Model): JsonSchema {
  return {
    type: 'object',
    ...(model.description === undefined ? {} : { description: model.description }),
    properties: {
      ...Object.fromEntries(
        model.shown.map((field) => [field.member, memberSchema(asShown(graph, field), model, 'response')]),
      ),
      ...computedSchemas(model),
      ...keysSchemas(graph, model),
      ...relatedSchemas(model),
    },
    additionalProperties: false,
  };
}

/** The key of a record that not everybody may read is null to some. */
function asShown(graph: Graph, field: Field): Field {
  if (field.refersTo === undefined) return field;
  const isForAll = modelOf(graph, field.refersTo).access.verbs.read.some(({ kind }) => kind === 'anybody');
  return isForAll ? field : { ...field, rules: { ...field.rules, required: false } };
}

/** What a record shows that is worked out from other values. */
const computedSchemas = (model: Model): Record<string, JsonSchema> =>
  Object.fromEntries(model.computed.map((computed) => [computed.member, valueSchema(computed, 'response')]));

/** The keys of the records that a many-to-many relation leads to. */
const keysSchemas = (graph: Graph, model: Model): Record<string, JsonSchema> =>
  Object.fromEntries(
    linkedOf(model).map(({ member, key, target }): [string, JsonSchema] => {
      const { readOnly: _readOnly, description: _about, ...items } = valueSchema(key, 'response');
      const description = `The keys of its ${spoken(modelOf(graph, target).plural)}.`;
      return [member, { type: 'array', items, uniqueItems: true, description }];
    }),
  );

/** The records that a client may ask for along with one. */
const relatedSchemas = (model: Model): Record<string, JsonSchema> =>
  Object.fromEntries(
    relatedNames(model).map((name): [string, JsonSchema] => {
      const one = stepCalled(model, name);
      if (one !== undefined) {
        return [name, { anyOf: [recordRef(one.target), { type: 'null' }], description: 'Where it is asked for.' }];
      }
      const items = recordRef(viaCalled(model, name)!.target);
      const description = `The first ${MOST_RELATED}, where they are asked for, and whether there are more.`;
      return [
        name,
        {
          type: 'object',
          description,
          properties: { data: { type: 'array', items, maxItems: MOST_RELATED }, more: { type: 'boolean' } },
          required: ['data', 'more'],
          additionalProperties: false,
        },
      ];
    }),
  );

const recordRef = (model: string): JsonSchema => ({ $ref: `#/components/schemas/${pascalCase(model)}` });

export const KINDS: readonly ClientKind[] = ['create', 'replace', 'update'];

export const recordName = (model: Model): string => pascalCase(model.name);
/** With a dot, which no model's own name has: `Hut.create` can never be a model. */
export const bodyName = (model: Model, kind: ClientKind): string => `${recordName(model)}.${kind}`;

/** A part of an object, merged into the one that stands: members left out stay, and null takes one away. */
const patchSchema = (field: Field): JsonSchema => ({
  type: ['object', 'null'],
  properties: Object.fromEntries([...field.properties!.keys()].map((name) => [name, {}])),
  additionalProperties: false,
  description: 'Merged into the object that stands (RFC 7396).',
});

/** What may only be sent back as it was read. */
const repeatable = (model: Model): Record<string, JsonSchema> => ({
  ...Object.fromEntries(derivedNames(model).map((name) => [name, { readOnly: true }])),
  ...computedSchemas(model),
});

/** A body of one kind of write. Members that can only be sent back as they were read have their plain type. */
export function bodySchema(graph: Graph, model: Model, kind: ClientKind): JsonSchema {
  const members = model.fields.filter((field) => kind !== 'create' || isSettable(field, kind));
  const required = members
    .filter((field) => isSettable(field, kind))
    .filter((field) => isNeeded(field, kind, model))
    .map((field) => field.member);
  const properties = members.map((field) => {
    if (kind === 'update' && field.type === 'object') return [field.member, patchSchema(field)];
    const { default: standing, ...schema } = memberSchema(field, model, 'request');
    // A patch leaves alone what it doesn't name: a default would say otherwise.
    return [field.member, kind === 'update' || standing === undefined ? schema : { ...schema, default: standing }];
  });
  return {
    type: 'object',
    description: `What it takes to ${kind} ${withArticle(model.name)}.`,
    properties: {
      ...Object.fromEntries(properties),
      ...keysSchemas(graph, model),
      ...(kind === 'create' ? {} : repeatable(model)),
    } as JsonSchema,
    ...(required.length > 0 ? { required } : {}),
    additionalProperties: false,
  };
}
