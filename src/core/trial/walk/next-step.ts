import { allEndpoints } from '../../api/endpoints.ts';
import type { Endpoint } from '../../api/endpoints.ts';
import type { Field, ValueSpec } from '../../model/field.ts';
import type { Graph } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import { linkedOf } from '../../model/related.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { isScalar } from '../../model/types.ts';
import { sortable } from '../../query/listable.ts';
import { exampleValue } from '../../rules/examples.ts';
import type { KnownValues } from '../../rules/examples.ts';
import { isSettable } from '../../rules/schema.ts';
import { findRecord } from '../../search/find-record.ts';
import type { Random } from '../../text/random.ts';
import type { Body, Step } from '../case.ts';
import { literal, parameterText } from '../cql-text.ts';
import { edgesOf } from '../edges.ts';
import { keyTextOf } from '../oracle/world-state.ts';
import type { Row, WorldState } from '../oracle/world-state.ts';
import { keyText, queryOf } from '../paths.ts';

/** What a walk goes through. */
export interface WalkParts {
  readonly graph: Graph;
  readonly known: KnownValues;
  /** The names of callers; `nobody` among them. */
  readonly callers: readonly string[];
  readonly random: Random;
  now(): Date;
}

/** The names under which the keys of records are kept that a walk has made, by `hut/<key>`. */
export type KeptKeys = ReadonlyMap<string, string>;

/** How often each kind of endpoint is asked. */
const WEIGHTS: Readonly<Record<Endpoint['name'], number>> = {
  create: 6,
  update: 5,
  replace: 3,
  delete: 2,
  read: 2,
  list: 3,
  clear: 1,
  journal: 1,
  operation: 1,
};

/** The next request of a walk. It is like what clients send, and often wrong in one place. */
export function nextStep(parts: WalkParts, state: WorldState, kept: KeptKeys, turn: number): Step {
  const { graph, random, callers } = parts;
  const endpoints = allEndpoints(graph).flatMap((endpoint) =>
    Array.from({ length: WEIGHTS[endpoint.name] }, () => endpoint),
  );
  const endpoint = random.one(endpoints);
  const { model, method, under } = endpoint;
  const target = under ?? model;
  const row = endpoint.ofRecord ? anyRow(random, state, target) : undefined;
  const nameOfKey = (of: Model, one: Row): string => {
    const name = kept.get(`${of.name}/${keyTextOf(one[of.key.member])}`);
    return name === undefined ? encodeURIComponent(keyText(of, one)) : `{${name}}`;
  };
  const missing = target.keyKind === 'serial' ? '777777777' : '00000000-0000-7000-8000-0000000000ff';
  const key = row === undefined || random.chance(0.02) ? missing : nameOfKey(target, row);
  const path = endpoint.path.replace(/\{[^}]+\}/, key);
  const step: Step = { method, path, as: random.one(callers), expect: { status: 200 } };
  const reference = (body: Record<string, unknown>): Body => withNames(model, body, kept);
  switch (endpoint.name) {
    case 'create': {
      const body = newBody(parts, model, state, under);
      const keep = { name: `${model.name}-${turn}`, pointer: `/data/${model.key.member}` };
      return { ...step, body: reference(body), keep, ...headersFor(random, model, 'POST', turn) };
    }
    case 'update':
    case 'replace': {
      const body = changeBody(parts, model, state, row, endpoint.name);
      return { ...step, body: reference(body), ...headersFor(random, model, method, turn) };
    }
    case 'delete':
      return { ...step, ...headersFor(random, model, method, turn) };
    case 'list':
      return { ...step, path: path + listQuery(parts, model, state) };
    case 'clear':
      return { ...step, path: path + conditionQuery(parts, model, state) };
    case 'operation': {
      const { input, reads } = endpoint.operation!;
      const given = inputFor(random, input);
      return reads ? { ...step, path: path + (given.query === '' ? '' : given.query) } : { ...step, body: given.body };
    }
    default:
      return step;
  }
}

function anyRow(random: Random, state: WorldState, { name }: Model): Row | undefined {
  const rows = state.allOf(name);
  // Those that were made last are where things happen.
  return rows.length === 0 ? undefined : random.chance(0.4) ? rows.at(-1) : random.one(rows);
}

function headersFor(random: Random, model: Model, method: string, turn: number): { headers?: Record<string, string> } {
  if (method === 'POST') return random.chance(0.03) ? { headers: { 'idempotency-key': `walk-${turn % 3}` } } : {};
  if (!model.conditional && !random.chance(0.15)) return {};
  return random.chance(0.85) ? { headers: { 'if-match': '*' } } : { headers: { 'if-match': '"of-nothing"' } };
}

/** Keys that the walk has made are named, so that the same requests can be sent again. */
function withNames(model: Model, body: Record<string, unknown>, kept: KeptKeys): Body {
  const nameOf = (target: string, value: unknown): unknown => {
    const name = kept.get(`${target}/${String(value)}`);
    return name === undefined ? value : { kept: name };
  };
  return Object.fromEntries(
    Object.entries(body).map(([member, value]) => {
      const target = model.byMember.get(member)?.refersTo;
      const links = linkedOf(model).find((one) => one.member === member);
      if (target !== undefined && typeof value !== 'object') return [member, nameOf(target, value)];
      if (links !== undefined && Array.isArray(value)) return [member, value.map((one) => nameOf(links.target, one))];
      return [member, value];
    }),
  );
}

const valueFor = ({ known, random }: WalkParts, model: Model, field: Field): FieldValue | undefined =>
  exampleValue(field, random.upTo(5_000), known.get(`${model.name}.${field.member}`) ?? []);

function newBody(parts: WalkParts, model: Model, state: WorldState, under: Model | undefined): Record<string, unknown> {
  const { graph, random, now } = parts;
  const found = findRecord(
    {
      around: { graph, records: state, now },
      earlier: () => [],
      turn: () => random.upTo(5_000),
      value: (of, field) => valueFor(parts, of, field),
      mayMake: () => false,
      isGiven: () => random.chance(0.8),
    },
    model,
  );
  const values = found.drafts.at(-1)?.values ?? {};
  const body: Record<string, unknown> = {};
  for (const field of model.fields) {
    const value = values[field.member] ?? null;
    if (isSettable(field, 'create') && value !== null) body[field.member] = value;
  }
  if (under !== undefined) delete body[model.parent!.field.member];
  addLinks(random, model, state, body);
  return random.chance(0.25) ? spoilt(parts, model, body) : body;
}

function addLinks(random: Random, model: Model, state: WorldState, body: Record<string, unknown>): void {
  for (const { member, target } of linkedOf(model)) {
    const rows = state.allOf(target);
    if (rows.length === 0 || !random.chance(0.3)) continue;
    const key = state.graph.byName.get(target)!.key.member;
    body[member] = [...new Set([random.one(rows)[key], random.one(rows)[key]])];
  }
}

/** A body with one thing wrong, or on the edge of it. */
function spoilt(parts: WalkParts, model: Model, body: Record<string, unknown>): Record<string, unknown> {
  const { random } = parts;
  const field = random.one(model.fields);
  const { member } = field;
  switch (random.upTo(4)) {
    case 0: {
      const { [member]: _left, ...rest } = body;
      return rest;
    }
    case 1:
      return { ...body, no_such_member: 1 };
    case 2:
      return { ...body, [member]: null };
    default: {
      if (field.refersTo !== undefined) return { ...body, [member]: '00000000-0000-7000-8000-0000000000fe' };
      const { edges } = edgesOf(field, () => random.upTo(5_000));
      return edges.length === 0 ? body : { ...body, [member]: random.one(edges).value };
    }
  }
}

function changeBody(
  parts: WalkParts,
  model: Model,
  state: WorldState,
  row: Row | undefined,
  how: 'update' | 'replace',
): Record<string, unknown> {
  const { random } = parts;
  // A client that sends back what it read.
  const read = Object.fromEntries(model.shown.map(({ member }) => [member, row?.[member] ?? null]));
  const body: Record<string, unknown> = how === 'replace' ? settableOf(model, read) : {};
  if (random.chance(0.1)) return random.chance(0.5) ? read : body;
  const fields = model.fields.filter((field) => isSettable(field, how));
  for (let count = random.upTo(2); count >= 0 && fields.length > 0; count -= 1) {
    const field = random.one(fields);
    const others = field.refersTo === undefined ? undefined : state.allOf(field.refersTo);
    const key = field.refersTo === undefined ? '' : state.graph.byName.get(field.refersTo)!.key.member;
    const value =
      others === undefined ? valueFor(parts, model, field) : others.length > 0 ? random.one(others)[key] : null;
    if (value !== undefined) body[field.member] = value;
  }
  addLinks(random, model, state, body);
  return random.chance(0.2) ? spoilt(parts, model, body) : body;
}

const settableOf = (model: Model, read: Readonly<Record<string, unknown>>): Record<string, unknown> =>
  Object.fromEntries(Object.entries(read).filter(([member]) => isSettable(model.byMember.get(member)!, 'replace')));

function inputFor(random: Random, input: ReadonlyMap<string, ValueSpec>): { body: Body; query: string } {
  const given = [...input].flatMap(([name, spec]): [string, FieldValue][] => {
    const value = random.chance(0.9) ? exampleValue(spec, random.upTo(500), []) : undefined;
    return value === undefined ? [] : [[name, value]];
  });
  const texts = given.map(([name, value]): [string, string] => [name, parameterText(value)]);
  return { body: Object.fromEntries(given), query: given.length === 0 ? '' : queryOf(Object.fromEntries(texts)) };
}

function listQuery(parts: WalkParts, model: Model, state: WorldState): string {
  const { random, graph } = parts;
  const parameters: Record<string, string> = {};
  if (random.chance(0.6)) parameters.limit = String(random.upTo(graph.service.paging.most + 1));
  if (random.chance(0.2)) parameters.offset = String(random.upTo(5));
  if (random.chance(0.3)) parameters.total = 'true';
  const members = sortable(model);
  if (random.chance(0.4) && members.length > 0)
    parameters.sort = `${random.chance(0.5) ? '-' : ''}${random.one(members)}`;
  if (random.chance(0.5)) Object.assign(parameters, conditionFor(parts, model, state));
  return Object.keys(parameters).length === 0 ? '' : queryOf(parameters);
}

const conditionQuery = (parts: WalkParts, model: Model, state: WorldState): string => {
  const condition = conditionFor(parts, model, state);
  return Object.keys(condition).length === 0 ? '' : queryOf(condition);
};

/** A condition on one member, by the value that a record has of it. */
function conditionFor({ random }: WalkParts, model: Model, state: WorldState): Record<string, string> {
  const field = random.one(model.shown.filter(({ type }) => isScalar(type)));
  const rows = state.allOf(model.name);
  const value = rows.length === 0 ? null : (random.one(rows)[field.member] ?? null);
  const name = `"${field.member}"`;
  if (value === null) return { filter: `${name} IS ${random.chance(0.5) ? 'NOT ' : ''}NULL` };
  if (random.chance(0.3)) return { [field.member]: parameterText(value) };
  const it = literal(field, value);
  const isOrdered = field.type !== 'boolean' && field.type !== 'uuid';
  return { filter: `${name} ${random.one(isOrdered ? ['=', '<>', '<', '<=', '>', '>='] : ['=', '<>'])} ${it}` };
}
