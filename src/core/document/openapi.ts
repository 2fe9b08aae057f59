import { stringify } from 'yaml';
import { allEndpoints } from '../api/endpoints.ts';
import type { Endpoint } from '../api/endpoints.ts';
import type { Graph } from '../model/graph.ts';
import { makeComponents } from './components.ts';
import type { Documented, Sample } from './documented.ts';
import { endpointItem } from './endpoint-items.ts';
import type { JsonSchema } from './json-schema.ts';
import { keyRef } from './parameters.ts';
import { CALLERS_TAG, callerItems, SERVICE_TAG, serviceItems } from './service-items.ts';

/**
 * The OpenAPI 3.1 document of a service: the same bytes for the same declarations and samples. `samples` are the first
 * record of each model, for examples.
 */
export function openApi(graph: Graph, samples: ReadonlyMap<string, Sample> = new Map()): Record<string, unknown> {
  const doc: Documented = { graph, components: makeComponents(), samples };
  const { name, version, description, servers } = graph.service;
  const paths: Record<string, JsonSchema> = {};
  for (const endpoint of allEndpoints(graph)) {
    const item = (paths[endpoint.path] ??= pathItem(doc, endpoint));
    item[endpoint.method.toLowerCase()] = endpointItem(doc, endpoint);
  }
  Object.assign(paths, callerItems(doc), serviceItems(doc));
  return {
    openapi: '3.1.0',
    info: { title: name, version, description: [description, TEXTS].filter((one) => one !== undefined).join('\n\n') },
    servers:
      servers.length > 0 ? servers : [{ url: '/', description: 'The address that this document was read from.' }],
    tags: [
      ...graph.models.map((model) => ({
        name: model.plural,
        description: model.description ?? `Each is a ${model.name}.`,
      })),
      ...(graph.identity === undefined ? [] : [CALLERS_TAG]),
      SERVICE_TAG,
    ],
    paths,
    components: doc.components.all(),
  };
}

function pathItem(doc: Documented, { ofRecord, under, model }: Endpoint): JsonSchema {
  return ofRecord ? { parameters: [keyRef(doc, under ?? model)] } : {};
}

/** What no pattern of every single text needs to repeat. */
const TEXTS = 'No text may contain the character U+0000 or half of a surrogate pair.';

/** A document as text; what is served and what is exported are the same to the last byte. */
export const documentJson = (document: object): string => `${JSON.stringify(document, null, 2)}\n`;

export const documentYaml = (document: object): string =>
  stringify(document, { aliasDuplicateObjects: false, lineWidth: 0 });
