import { clientScope } from '../../access/client-scope.ts';
import { both, expressionOf } from '../../access/condition.ts';
import type { Condition } from '../../access/condition.ts';
import { hides, seenValue } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import { listParameters, projectionParameters } from '../../api/parameters.ts';
import { MOST_TOLD, refuseParameters } from '../../api/problems.ts';
import type { ParameterFailure } from '../../api/problems.ts';
import { compileExpression } from '../../expression/compiled.ts';
import type { CompiledExpression } from '../../expression/compiled.ts';
import { fieldExpression } from '../../expression/property.ts';
import { constant, plain } from '../../model/expression.ts';
import type { Expression } from '../../model/expression.ts';
import type { Field } from '../../model/field.ts';
import { modelOf } from '../../model/graph.ts';
import type { Model } from '../../model/model.ts';
import type { Relation } from '../../model/relation.ts';
import type { FieldValue, Scalar } from '../../model/scalar.ts';
import { fromText } from '../../model/value.ts';
import type { Cursors } from '../../query/cursor.ts';
import { compileCondition, filterReader } from '../../query/filter.ts';
import type { FilterReader } from '../../query/filter.ts';
import type { ListCondition, ListForm } from '../../query/list-statement.ts';
import { filterable } from '../../query/listable.ts';
import { sortReader } from '../../query/sort.ts';
import type { SortReader } from '../../query/sort.ts';
import type { Dialect } from '../../sql/dialect.ts';
import { didYouMean } from '../../text/nearest.ts';
import { quoted } from '../../text/value.ts';
import { projectionReader } from './projection-parameters.ts';
import type { ProjectionReader } from './projection-parameters.ts';
import { readQuery } from './query.ts';

/** A list's query, understood. */
export interface ListRequest {
  readonly form: ListForm;
  readonly limit: number;
  /** What the cursors of this list are good for. */
  readonly binding: string;
  /** The query that all pages of this list share, without its `?`. */
  readonly shared: string;
}

type ListParameter = (typeof listParameters)[number];

/** What reads the lists of a model for one kind of viewer. */
export interface ListReaders {
  readonly permissions: Permissions;
  readonly dialect: Dialect;
  readonly cursors: Cursors;
  readonly readFilter: FilterReader;
  readonly readSort: SortReader;
  readonly readProjection: ProjectionReader;
}

export function listReaders(model: Model, permissions: Permissions, dialect: Dialect, cursors: Cursors): ListReaders {
  const { graph } = permissions;
  const scope = clientScope(permissions, model);
  return {
    permissions,
    dialect,
    cursors,
    readFilter: filterReader(scope),
    readSort: sortReader(graph, model, dialect, scope),
    readProjection: projectionReader(permissions, model, model.listView),
  };
}

/** What a list is of, beside what its query asks for. */
export interface ListOf {
  /** What has to be true of its records. */
  readonly condition: Condition;
  /** Values that all its records have. */
  readonly always?: ListForm['filters'];
  /** A condition that is no expression; it is given the number of placeholders before its own. */
  readonly extra?: ((before: number) => CompiledExpression) | undefined;
  readonly under?: { readonly relation: Relation; readonly key: FieldValue } | undefined;
  /** Tells lists of one path and query apart whose condition is another one now and then. */
  readonly differs?: string;
}

export interface Paging {
  readonly default: number;
  readonly most: number;
}

/** Reads the query of a list; everything that is wrong with it is told in one 400. */
export function readListRequest(
  model: Model,
  path: string,
  query: string,
  paging: Paging,
  readers: ListReaders,
  of: ListOf,
): ListRequest {
  const { permissions, dialect, cursors, readFilter, readSort, readProjection } = readers;
  const { graph } = permissions;
  const failures: ParameterFailure[] = [];
  const single = new Map<ListParameter, string>();
  const filters = new Map<Field, FieldValue[]>();
  const narrowing = filterable(model).filter(({ member }) => !hides(permissions, model, member));
  const columns = new Map(narrowing.map((field) => [field.member, field]));
  const shared: string[] = [];

  for (const [name, value] of readQuery(query)) {
    if (failures.length > MOST_TOLD) break;
    const field = columns.get(name);
    if (isListParameter(name)) {
      if (single.has(name)) failures.push({ parameter: name, detail: 'must be given once' });
      single.set(name, value);
    } else if (field === undefined) {
      const detail = `no such parameter or field; ${didYouMean(name, [...listParameters, ...columns.keys()])}`;
      failures.push({ parameter: name, detail });
    } else {
      const read = fromText(field, value);
      const choices = field.rules.enum;
      if ('fault' in read) failures.push({ parameter: name, detail: read.fault.detail });
      else if (choices?.includes(read.value as Scalar) === false) {
        // No record can have it, so that it is a mistake.
        const detail = `no ${field.member} is ${quoted(value)}; ${didYouMean(value, choices.map(String))}`;
        failures.push({ parameter: name, detail });
      } else filters.set(field, [...(filters.get(field) ?? []), read.value]);
    }
    if (!PLACES.includes(name)) shared.push(`${encoded(name)}=${encoded(value)}`);
  }

  const limit = readLimit(single.get('limit'), paging, failures);
  const [view, fields, include] = projectionParameters.map((name) => single.get(name));
  const projection = readProjection({ view, fields, include }, limit, failures);
  const [text, language] = [single.get('filter'), single.get('filter-lang')];
  if (text === undefined && language !== undefined)
    failures.push({ parameter: 'filter-lang', detail: 'goes with filter' });
  const asked = text === undefined ? undefined : readFilter(text, language, failures);
  const wanted = [...filters].map(([field, values]) => ({ field, values }));
  // A value that not everybody sees is compared as this viewer sees it.
  const seen = ({ field }: { field: Field }): Expression =>
    seenValue(permissions, model, field.member, fieldExpression(field));
  const open = wanted.filter((one) => seen(one).op === 'field');
  const guarded = wanted.filter((one) => !open.includes(one)).map((one) => oneOf(seen(one), one.values));
  const condition = expressionOf(both(...(asked === undefined ? [] : [asked]), ...guarded, of.condition));
  const filter = withExtra(condition && compileCondition(graph, model, dialect, condition), of.extra);
  const sort = readSort(single.get('sort'), filter?.placeholderCount ?? 0, failures);
  const offset = readOffset(single.get('offset'), failures);
  const total = readFlag('total', single.get('total'), failures);
  const placeholderCount = sort.reduce(
    (sum, { compiled }) => sum + (compiled?.placeholderCount ?? 0),
    filter?.placeholderCount ?? 0,
  );
  const binding = JSON.stringify([
    path,
    sort.map(({ field, descending }) => [field.member, descending]),
    wanted.map(({ field, values }) => [field.member, [...values].sort()]).sort(),
    ...(text === undefined ? [] : [[text, language]]),
  ]);
  const [after, before] = [single.get('after'), single.get('before')];
  if (after !== undefined && before !== undefined) {
    failures.push({ parameter: 'before', detail: 'must not be given together with after' });
  }
  if (offset !== undefined && (after !== undefined || before !== undefined)) {
    failures.push({ parameter: 'offset', detail: 'must not be given together with after or before' });
  }
  const readCursor = (parameter: string, text: string): FieldValue[] | undefined => {
    const from = cursors.read(binding, text);
    const detail = 'is no cursor of this list; begin without it, and keep sort and filters as they were while paging';
    if (from === undefined) failures.push({ parameter, detail });
    return from;
  };
  // A list whose order or filters are wrong can't say whether a cursor belongs to it.
  const sound = failures.length === 0;
  const cursor: ['after' | 'before', string] | undefined =
    after !== undefined ? ['after', after] : before !== undefined ? ['before', before] : undefined;
  const from = sound && cursor !== undefined ? readCursor(...cursor) : undefined;
  refuseParameters(failures);

  return {
    form: {
      projection,
      sort,
      filters: [...(of.always ?? []), ...open],
      filter,
      offset,
      total,
      from,
      backward: before !== undefined,
      under: of.under && underOf(permissions, of.under, dialect, placeholderCount),
    },
    limit,
    binding,
    shared: shared.join('&'),
  };
}

const BOOLEAN = plain('boolean');

function oneOf(value: Expression, among: readonly FieldValue[]): Expression {
  const constants = among.map((one) => constant(one, value.type));
  return constants.length === 1
    ? { op: '=', left: value, right: constants[0]!, type: BOOLEAN }
    : { op: 'in', of: value, among: constants, type: BOOLEAN };
}

function withExtra(condition: ListCondition | undefined, extra: ListOf['extra']): ListCondition | undefined {
  if (extra === undefined) return condition;
  const more = extra(condition?.placeholderCount ?? 0);
  const all = condition === undefined ? [more] : [condition, more];
  return {
    sql: all.map(({ sql }) => `(${sql})`).join(' AND '),
    placeholderCount: all.reduce((sum, { placeholderCount }) => sum + placeholderCount, 0),
    isConstant: all.every(({ isConstant }) => isConstant),
    values: (evaluation) => all.flatMap(({ values }) => values(evaluation)),
    asked: { equal: [], ranges: [], ...condition?.asked, more: true },
    costly: condition?.costly === true,
  };
}

function underOf(
  permissions: Permissions,
  { relation, key }: NonNullable<ListOf['under']>,
  dialect: Dialect,
  before: number,
): ListForm['under'] {
  const { graph } = permissions;
  const parent = modelOf(graph, relation.target);
  const guard = expressionOf(permissions.may(parent, 'read'));
  const compiled = guard && compileExpression(guard, parent, graph, dialect, { before });
  return { parent, field: relation.field, key, guard: compiled };
}

/** What says where in the list a page begins: the links to other pages say that by themselves. */
const PLACES = ['after', 'before', 'offset'];

function readOffset(text: string | undefined, failures: ParameterFailure[]): number | undefined {
  if (text === undefined || /^\d{1,9}$/.test(text)) return text === undefined ? undefined : Number(text);
  failures.push({
    parameter: 'offset',
    detail: `must be a whole number from 0 to 999999999, got ${JSON.stringify(text.slice(0, 40))}`,
  });
  return undefined;
}

function readFlag(parameter: ListParameter, text: string | undefined, failures: ParameterFailure[]): boolean {
  if (text !== undefined && text !== 'true' && text !== 'false') {
    failures.push({ parameter, detail: `must be true or false, got ${JSON.stringify(text.slice(0, 40))}` });
  }
  return text === 'true';
}

/** Commas part the entries of a list, and may stand in a query as they are (RFC 3986). */
const encoded = (text: string): string => encodeURIComponent(text).replaceAll('%2C', ',');

const isListParameter = (name: string): name is ListParameter => (listParameters as readonly string[]).includes(name);

function readLimit(text: string | undefined, paging: Paging, failures: ParameterFailure[]): number {
  if (text === undefined) return paging.default;
  const limit = /^\d{1,9}$/.test(text) ? Number(text) : 0;
  if (limit >= 1 && limit <= paging.most) return limit;
  const detail = `must be a whole number from 1 to ${paging.most}, got ${JSON.stringify(text.slice(0, 40))}`;
  failures.push({ parameter: 'limit', detail });
  return paging.default;
}
