import { allEndpoints } from '../api/endpoints.ts';
import type { Endpoint } from '../api/endpoints.ts';
import type { Graph } from '../model/graph.ts';
import { yaml } from '../text/libraries.ts';
import { isRecord } from '../text/value.ts';
import { makeComponents } from './components.ts';
import type { Documented, Sample } from './documented.ts';
import { endpointItem } from './endpoint-items.ts';
import type { JsonSchema } from './json-schema.ts';
import { keyRef } from './parameters.ts';
import { operationIds } from './operation-ids.ts';
import { callerItems, SERVICE_TAG, serviceItems } from './service-items.ts';
import { CALLERS_TAG } from './session-items.ts';

/**
 * The OpenAPI 3.1 document of a service: the same bytes for the same declarations and samples. `samples` are the first
 * record of each model, for examples.
 */
export function openApi(graph: Graph, samples?: ReadonlyMap<string, Sample>): Record<string, unknown> {
  const steps = openApiSteps(graph, samples);
  let step = steps.next();
  while (step.done !== true) step = steps.next();
  return step.value;
}

/** The same, made in steps of a millisecond or so: others may come between them. */
export function* openApiSteps(
  graph: Graph,
  samples: ReadonlyMap<string, Sample> = new Map(),
): Generator<undefined, Record<string, unknown>> {
  const doc: Documented = { graph, components: makeComponents(), ids: operationIds(graph), samples };
  const { servers } = graph.service;
  const paths: Record<string, JsonSchema> = {};
  for (const endpoint of allEndpoints(graph)) {
    const item = (paths[endpoint.path] ??= pathItem(doc, endpoint));
    item[endpoint.method.toLowerCase()] = endpointItem(doc, endpoint);
    yield;
  }
  Object.assign(paths, callerItems(doc), serviceItems(doc));
  return {
    openapi: '3.1.0',
    info: infoOf(graph),
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

/** Who answers for the service, and under which terms. */
function infoOf({ service }: Graph): JsonSchema {
  const { name, version, description, contact, license, termsOfService } = service;
  return {
    title: name,
    version,
    description: [description, TEXTS].filter((one) => one !== undefined).join('\n\n'),
    ...(termsOfService === undefined ? {} : { termsOfService }),
    ...(contact === undefined ? {} : { contact }),
    ...(license === undefined ? {} : { license }),
  };
}

function pathItem(doc: Documented, { ofRecord, under, model }: Endpoint): JsonSchema {
  return ofRecord ? { parameters: [keyRef(doc, under ?? model)] } : {};
}

/** What no pattern of every single text needs to repeat. */
const TEXTS = 'No text may contain the character U+0000 or half of a surrogate pair.';

/** A document for people to read, and to compare line by line. */
export const documentJson = (document: object): string => `${JSON.stringify(document, null, 2)}\n`;

/** The same for programs: what is served. */
export const shortJson = (document: object): string => JSON.stringify(document);

export const documentYaml = (document: object): string => [...yamlPieces(document)].join('');

/** How deep the parts of a document lie that are written one by one: paths, and the components of each kind. */
const PIECES: ReadonlyMap<string, number> = new Map([
  ['paths', 1],
  ['components', 2],
]);

/** The same, piece by piece. */
export function* yamlPieces(document: object): Generator<string> {
  for (const [name, value] of Object.entries(document)) yield* piecesOf(name, value, PIECES.get(name) ?? 0, '');
}

function* piecesOf(name: string, value: unknown, depth: number, indent: string): Generator<string> {
  const text = (of: unknown): string => {
    const whole: string = yaml().stringify({ [name]: of }, { aliasDuplicateObjects: false, lineWidth: 0 });
    return whole.replace(/^(?=.)/gm, indent);
  };
  if (depth === 0 || !isRecord(value) || Object.keys(value).length === 0) {
    yield text(value);
    return;
  }
  // The name as it stands before what is within.
  yield text({ within: null }).split('\n', 1)[0]! + '\n';
  for (const [inner, one] of Object.entries(value)) yield* piecesOf(inner, one, depth - 1, `${indent}  `);
}
