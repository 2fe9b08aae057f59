/** A JSON Schema 2020-12, or another object of an OpenAPI document. */
export type JsonSchema = Record<string, unknown>;

/** Whether two are the same to the last member. */
export const isSameSchema = (one: JsonSchema, other: JsonSchema): boolean =>
  JSON.stringify(one) === JSON.stringify(other);

/** What an object is: its members, which of them must be there, and none beside them. */
export function objectOf(
  properties: Readonly<Record<string, JsonSchema>>,
  required: readonly string[],
  more: JsonSchema = {},
): JsonSchema {
  return {
    type: 'object',
    ...more,
    properties,
    ...(required.length > 0 ? { required } : {}),
    additionalProperties: false,
  };
}

const ALL_BUT_NULL = 5;

/** The same, or null. */
export function orNull(schema: JsonSchema): JsonSchema {
  if ('$ref' in schema || 'anyOf' in schema) {
    const { description, ...rest } = schema;
    const choices = 'anyOf' in rest ? (rest.anyOf as JsonSchema[]) : [rest];
    return { anyOf: [...choices, { type: 'null' }], ...(description === undefined ? {} : { description }) };
  }
  const types = Array.isArray(schema.type) ? (schema.type as string[]) : [schema.type as string];
  // What may be anything but null may be anything now.
  if (types.length === ALL_BUT_NULL) return {};
  const { const: only, ...rest } = schema;
  const values = only === undefined ? (schema.enum as unknown[] | undefined) : [only];
  return { ...rest, type: [...types, 'null'], ...(values === undefined ? {} : { enum: [...values, null] }) };
}
