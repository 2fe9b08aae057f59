import type { Entries, Shape } from '../declaration/shape.ts';
import { modelShape } from '../declaration/model-shape.ts';
import { trialShape } from '../declaration/trial-shape.ts';
import { serviceShape } from '../declaration/service-shape.ts';

type Schema = Record<string, unknown>;

const DIALECT = 'https://json-schema.org/draft/2020-12/schema';

/**
 * JSON Schemas of the files that people write, by the names of their own files, for editors that complete and check.
 */
export const editorSchemas = (): Record<string, Schema> => ({
  'service.schema.json': documentSchema(serviceShape, 'vantfell.yaml'),
  'model.schema.json': documentSchema(modelShape, 'A model of a Vantfell project'),
  'trial.schema.json': documentSchema(trialShape, 'A scenario of a Vantfell project'),
});

/** The shape that the checker holds a document against, as JSON Schema 2020-12. */
export function documentSchema(shape: Shape, title: string): Schema {
  const named = new Map<string, Schema>();
  const schema = schemaOf(shape, named);
  return { $schema: DIALECT, title, ...schema, ...(named.size === 0 ? {} : { $defs: Object.fromEntries(named) }) };
}

function schemaOf(shape: Shape, named: Map<string, Schema>): Schema {
  switch (shape.kind) {
    case 'constant':
      return {};
    case 'flag':
      return { type: 'boolean' };
    case 'number':
      return {
        type: shape.integer === true ? 'integer' : 'number',
        ...(shape.least === undefined ? {} : { minimum: shape.least }),
      };
    case 'text':
      return { type: 'string', ...(shape.pattern === undefined ? {} : { pattern: shape.pattern.source }) };
    case 'word':
      return { enum: shape.of };
    case 'list':
      return { type: 'array', items: schemaOf(shape.of, named), ...(shape.least ? { minItems: shape.least } : {}) };
    case 'map':
      return {
        type: 'object',
        propertyNames: { pattern: shape.names.source },
        additionalProperties: schemaOf(shape.of, named),
      };
    case 'entries':
      return entriesSchema(shape, named);
    case 'either':
      return { anyOf: shape.of.map((option) => schemaOf(option, named)) };
    case 'named':
      if (!named.has(shape.name)) {
        // Its place is taken before it is looked into, because it may contain itself.
        named.set(shape.name, {});
        named.set(shape.name, schemaOf(shape.of(), named));
      }
      return { $ref: `#/$defs/${shape.name}` };
  }
}

function entriesSchema({ entries, others }: Shape & { kind: 'entries' }, named: Map<string, Schema>): Schema {
  const names = Object.keys(entries);
  const required = names.filter((name) => entries[name]?.required === true);
  const schema: Schema = { type: 'object', properties: propertiesOf(entries, named), additionalProperties: false };
  if (required.length > 0) schema.required = required;
  if (others !== undefined) {
    // JSON Schema would hold the fixed names against the pattern too.
    const pattern = `^(?!(?:${names.join('|')})$)${others.names.source.replace(/^\^/, '')}`;
    schema.patternProperties = { [pattern]: { ...schemaOf(others.shape, named), description: others.about } };
  }
  return schema;
}

const propertiesOf = (entries: Entries, named: Map<string, Schema>): Schema =>
  Object.fromEntries(
    Object.entries(entries).map(([name, { shape, about }]) => [
      name,
      { ...schemaOf(shape, named), description: about },
    ]),
  );
