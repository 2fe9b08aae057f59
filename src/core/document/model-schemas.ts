import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { relatedNames } from '../model/related.ts';
import type { JsonSchema } from './json-schema.ts';
import { openApi } from './openapi.ts';
import { typeName } from './type-name.ts';

const DIALECT = 'https://json-schema.org/draft/2020-12/schema';
const PLACE = '#/components/schemas/';

/**
 * A JSON Schema 2020-12 for each model, by the names of their files: the record in its default view, and under
 * `$defs` its views and what writes take.
 */
export function modelSchemas(graph: Graph): Record<string, JsonSchema> {
  const all = (openApi(graph).components as { schemas: Record<string, JsonSchema> }).schemas;
  return Object.fromEntries(graph.models.map((model) => [`${model.name}.schema.json`, modelSchema(model, all)]));
}

function modelSchema(model: Model, all: Readonly<Record<string, JsonSchema>>): JsonSchema {
  const name = typeName(model);
  const own = ['create', 'replace', 'update', ...[...model.views.keys()].map((view) => `view.${view}`)];
  const roots = own.map((one) => `${name}.${one}`).filter((one) => all[one] !== undefined);
  const defs = new Map<string, JsonSchema>();
  const take = (one: string): void => {
    if (defs.has(one)) return;
    // Its place is taken before what it refers to is looked at: it may refer to itself.
    defs.set(one, {});
    defs.set(one, alone(all[one]!, model, take));
  };
  roots.forEach(take);
  const { description, ...record } = alone(all[name]!, model, take);
  return {
    $schema: DIALECT,
    $id: `${model.name}.schema.json`,
    title: model.name,
    ...(description === undefined ? {} : { description }),
    ...record,
    ...(defs.size === 0
      ? {}
      : { $defs: Object.fromEntries([...defs].sort(([one], [other]) => (one < other ? -1 : 1))) }),
  };
}

/** A schema without optional related records, and with its references in `$defs`. */
function alone(schema: JsonSchema, model: Model, take: (name: string) => void): JsonSchema {
  const properties = schema.properties as Record<string, JsonSchema> | undefined;
  const required = (schema.required ?? []) as readonly string[];
  const brought = new Set(relatedNames(model).filter((name) => !required.includes(name)));
  const kept = properties && Object.fromEntries(Object.entries(properties).filter(([name]) => !brought.has(name)));
  return moved({ ...schema, ...(kept === undefined ? {} : { properties: kept }) }, take) as JsonSchema;
}

function moved(value: unknown, take: (name: string) => void): unknown {
  if (Array.isArray(value)) return value.map((item) => moved(item, take));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).map(([key, inner]) => {
      if (key !== '$ref' || typeof inner !== 'string' || !inner.startsWith(PLACE)) return [key, moved(inner, take)];
      const name = inner.slice(PLACE.length);
      take(name);
      return [key, `#/$defs/${name}`];
    }),
  );
}
