import { allEndpoints } from '../api/endpoints.ts';
import type { Endpoint } from '../api/endpoints.ts';
import type { Graph } from '../model/graph.ts';
import { camelCase, pascalCase } from '../text/names.ts';

type Named = Pick<Endpoint, 'name' | 'model' | 'under' | 'operation'> & Partial<Pick<Endpoint, 'ofRecord'>>;

/** The names of endpoints in the document. */
export interface OperationIds {
  of(endpoint: Named): string;
}

/** Ids of the service's own endpoints. */
const OWN = [
  'signIn',
  'whoAmI',
  'revokeTokens',
  'refreshTokens',
  'listSessions',
  'endSessions',
  'endSession',
  'changeSecret',
  'askVerification',
  'verifyAddress',
  'askReset',
  'resetSecret',
  'index',
  'openapi',
  'live',
  'ready',
];

/** `bookHut`, `listHutNights`; with more words where two endpoints would have one name. */
export function operationIds(graph: Graph): OperationIds {
  const taken = new Map<string, number>(OWN.map((id) => [id, 2]));
  for (const endpoint of allEndpoints(graph)) {
    const id = shortId(endpoint);
    taken.set(id, (taken.get(id) ?? 0) + 1);
  }
  return { of: (endpoint) => (taken.get(shortId(endpoint)) === 1 ? shortId(endpoint) : longId(endpoint)) };
}

function shortId({ name, model, under, operation, ofRecord }: Named): string {
  const whole = under === undefined ? '' : pascalCase(under.name);
  const [one, many] = [pascalCase(model.name), pascalCase(model.plural)];
  if (operation !== undefined) return camelCase(operation.name) + (operation.target === 'record' ? one : many);
  if (name === 'journal') return `journalOf${ofRecord === true ? one : many}`;
  return name + whole + (name === 'list' || name === 'clear' ? many : one);
}

/** Underscores part it from all others: names of models have none. */
function longId(endpoint: Named): string {
  const { under, operation, ofRecord } = endpoint;
  const kind = operation !== undefined ? '_operation' : ofRecord === false ? '_all' : '';
  if (under === undefined) return shortId(endpoint) + kind;
  return `${shortId({ ...endpoint, under: undefined })}_in${pascalCase(under.name)}`;
}
