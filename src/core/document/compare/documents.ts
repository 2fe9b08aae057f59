import { FIELDS, VIEWS } from '../../api/parameters.ts';
import { isRecord } from '../../text/value.ts';
import { listOf, mapOf, resolved } from './resolve.ts';
import type { Tree } from './resolve.ts';
import { compareSchemas } from './schemas.ts';
import type { Pair, Way } from './schemas.ts';

/** Something that is not as it was. */
export interface Change {
  /** Whether a client that was written for the old document may fail because of it. */
  readonly breaking: boolean;
  /** `body /beds: at least 4 now, was 1` */
  readonly what: string;
  /** The operations that it concerns: `POST /v1/huts`. */
  readonly where: readonly string[];
}

const METHODS = ['get', 'put', 'post', 'delete', 'patch', 'head', 'options'];

/** What has changed from one OpenAPI 3.1 document to another. Descriptions and examples don't count. */
export function compareDocuments(before: Tree, after: Tree): Change[] {
  const changes = new Map<string, { breaking: boolean; what: string; where: Map<string, number> }>();
  const note = (where: string, what: string, breaking: boolean, depth = 0): void => {
    const key = `${breaking} ${what}`;
    let known = changes.get(key);
    if (known === undefined) changes.set(key, (known = { breaking, what, where: new Map<string, number>() }));
    known.where.set(where, Math.min(depth, known.where.get(where) ?? Infinity));
  };
  const documents = { before, after };
  const [old, now] = [operationsOf(before), operationsOf(after)];
  for (const [key, one] of old) {
    const other = now.get(key);
    if (other === undefined) note(one.called, 'is gone', true);
    else compareOperations(documents, one, other, (what, breaking, depth) => note(other.called, what, breaking, depth));
  }
  for (const [key, one] of now) if (!old.has(key)) note(one.called, 'is new', false);
  return [...changes.values()]
    .sort((one, other) => Number(other.breaking) - Number(one.breaking))
    .map(({ where, ...change }) => ({ ...change, where: nearestFirst(where) }));
}

/** Operations, those with the shallowest change first. */
const nearestFirst = (where: ReadonlyMap<string, number>): string[] =>
  [...where].sort(([, one], [, other]) => one - other).map(([operation]) => operation);

interface Operation {
  readonly called: string;
  readonly item: Tree;
  readonly parameters: ReadonlyMap<string, Tree>;
  /** Who may ask: any one of these, as texts; an empty one is everybody. */
  readonly callers: ReadonlySet<string>;
}

function operationsOf(document: Tree): Map<string, Operation> {
  const operations = new Map<string, Operation>();
  for (const [path, given] of mapOf(document.paths)) {
    const shared = resolved(document, given);
    for (const method of METHODS) {
      const item = shared[method];
      if (!isRecord(item)) continue;
      const parameters = [...listOf(shared.parameters), ...listOf(item.parameters)].map((one) =>
        resolved(document, one),
      );
      const security = item.security ?? document.security;
      const callers = new Set(
        security === undefined || listOf(security).length === 0 ? [''] : listOf(security).map(callerText),
      );
      const called = `${method.toUpperCase()} ${path}`;
      // What a parameter of the path is called makes no difference to who sends it.
      const inQuery = parameters.filter((one) => one.in !== 'path');
      const named = new Map(
        inQuery.map((one) => [`${String(one.in as string)} ${String(one.name as string).toLowerCase()}`, one]),
      );
      operations.set(`${method} ${path.replaceAll(/\{[^}]*\}/g, '{}')}`, { called, item, parameters: named, callers });
    }
  }
  return operations;
}

interface Documents {
  readonly before: Tree;
  readonly after: Tree;
}
type Tell = (what: string, breaking: boolean, depth?: number) => void;

function compareOperations(documents: Documents, old: Operation, now: Operation, tell: Tell): void {
  if (old.item.operationId !== now.item.operationId) {
    tell(`its operationId is ${String(now.item.operationId)} now, was ${String(old.item.operationId)}`, true);
  }
  if (now.item.deprecated === true && old.item.deprecated !== true) tell('is deprecated now', false);
  compareCallers(old.callers, now.callers, tell);
  compareParameters(documents, old, now, tell);
  compareBodies(documents, old.item.requestBody, now.item.requestBody, tell);
  compareResponses(documents, old.item.responses, now.item.responses, tell);
}

/**
 * One of several ways to be allowed, as text: nothing where it is everybody's; `signed-in`, or the roles that it
 * takes.
 */
const callerText = (requirement: unknown): string =>
  mapOf(requirement)
    .map(([, roles]) => (listOf(roles).length === 0 ? 'signed-in' : listOf(roles).join(' and ')))
    .join(' and ');

function compareCallers(old: ReadonlySet<string>, now: ReadonlySet<string>, tell: Tell): void {
  const covers = (callers: ReadonlySet<string>, one: string): boolean =>
    callers.has('') || callers.has(one) || (one !== '' && callers.has('signed-in'));
  const named = (one: string): string => (one === '' ? 'those who are not signed in' : one);
  for (const one of old) if (!covers(now, one)) tell(`is not for ${named(one)} any more`, true);
  for (const one of now) if (!covers(old, one)) tell(`is for ${named(one)} too`, false);
}

/** Schemas of a parameter, a body or an answer. Components are named in the report. */
const within = (documents: Documents, way: Way, of: string, tell: Tell): Pair => ({
  documents,
  way,
  depth: 0,
  note: (what, breaking, depth) => {
    const inComponent = /^[A-Za-z]/.test(what) && what.includes(' ') && isNamed(documents, what.split(' ')[0]!);
    if (inComponent) tell(`in ${way === 'request' ? 'requests' : 'answers'}: ${what}`, breaking, depth);
    // A parameter with several values means any one of them.
    else tell(`${of} ${of.startsWith('parameter') ? what.replace(/^\/0 /, '') : what}`, breaking, depth);
  },
});

const isNamed = ({ after }: Documents, name: string): boolean =>
  isRecord(after.components) && isRecord(after.components.schemas) && Object.hasOwn(after.components.schemas, name);

function compareParameters(documents: Documents, old: Operation, now: Operation, tell: Tell): void {
  for (const [key, one] of old.parameters) {
    const other = now.parameters.get(key);
    const called = `${one.in === 'query' ? 'parameter' : 'header'} ${String(one.name)}`;
    if (other === undefined) {
      // A service that knows its parameters refuses others; a header that it doesn't know it passes over.
      tell(`${called} is gone`, one.in === 'query');
      continue;
    }
    if (one.required !== other.required)
      tell(`${called} ${other.required === true ? 'must' : 'need not'} be given now`, other.required === true);
    const [was, is] = [resolved(documents.before, one.schema), resolved(documents.after, other.schema)];
    if (JSON.stringify(was.default) !== JSON.stringify(is.default)) {
      tell(
        `${called}, left out, means ${JSON.stringify(is.default) ?? 'nothing'} ` +
          `now, was ${JSON.stringify(was.default) ?? 'nothing'}`,
        true,
      );
    }
    const { default: _was, ...oldSchema } = was;
    const { default: _is, ...newSchema } = is;
    compareSchemas(within(documents, 'request', `${called}:`, tell), oldSchema, newSchema, '');
  }
  for (const [key, one] of now.parameters) {
    if (old.parameters.has(key)) continue;
    const isNeeded = one.required === true;
    tell(
      `${one.in === 'query' ? 'parameter' : 'header'} ${String(one.name)} ` +
        `is new${isNeeded ? ', and must be given' : ''}`,
      isNeeded,
    );
  }
}

function compareBodies(documents: Documents, before: unknown, after: unknown, tell: Tell): void {
  if (before === undefined && after === undefined) return;
  const [old, now] = [resolved(documents.before, before), resolved(documents.after, after)];
  if (before === undefined)
    tell(`a body is new${now.required === true ? ', and must be sent' : ''}`, now.required === true);
  else if (after === undefined) tell('the body is gone', true);
  else if (old.required !== now.required)
    tell(`the body ${now.required === true ? 'must' : 'need not'} be sent now`, now.required === true);
  compareContent(documents, 'request', 'body', old.content, now.content, tell);
}

function compareContent(documents: Documents, way: Way, of: string, before: unknown, after: unknown, tell: Tell): void {
  const now = new Map(mapOf(after));
  for (const [type, one] of mapOf(before)) {
    const other = now.get(type);
    if (other === undefined) {
      if (after !== undefined) tell(`${of}: ${type} is gone`, true);
    } else {
      const of2 = mapOf(before).length > 1 ? `${of} (${type})` : of;
      const [was, is] = [resolved({}, one), resolved({}, other)];
      const pair = within(documents, way, of2, tell);
      compareSchemas(pair, was.schema, is.schema, '');
      if (was[FIELDS] !== undefined && is[FIELDS] !== undefined) compareSchemas(pair, was[FIELDS], is[FIELDS], '');
      compareViews(documents, of2, was[VIEWS], is[VIEWS], tell);
    }
  }
  for (const type of now.keys())
    if (!mapOf(before).some(([known]) => known === type) && before !== undefined) tell(`${of}: ${type} is new`, false);
}

/** What a read shows in its other views. */
function compareViews(documents: Documents, of: string, before: unknown, after: unknown, tell: Tell): void {
  const [was, is] = [new Map(mapOf(before)), new Map(mapOf(after))];
  for (const [view, schema] of was) {
    if (is.has(view))
      compareSchemas(within(documents, 'response', `${of}, view ${view}`, tell), schema, is.get(view), '');
    else tell(`${of}: the view ${view} is gone, or is the usual one now`, true);
  }
  for (const view of is.keys()) if (!was.has(view)) tell(`${of}: the view ${view} is new`, false);
}

const isSuccess = (status: string): boolean => /^[23]/.test(status);

function compareResponses(documents: Documents, before: unknown, after: unknown, tell: Tell): void {
  const now = new Map(mapOf(after));
  const statuses = new Set(mapOf(before).map(([status]) => status));
  for (const [status, one] of mapOf(before)) {
    if (!now.has(status)) {
      tell(`does not answer ${status} any more`, isSuccess(status));
      continue;
    }
    const [old, is] = [resolved(documents.before, one), resolved(documents.after, now.get(status))];
    const headers = new Map(mapOf(is.headers));
    for (const [name] of mapOf(old.headers))
      if (!headers.has(name)) tell(`answer ${status}: header ${name} is gone`, true);
    compareContent(documents, 'response', `answer ${status}`, old.content, is.content, tell);
  }
  for (const status of now.keys()) if (!statuses.has(status)) tell(`may answer ${status}`, isSuccess(status));
}
