import { clientScope } from '../../access/client-scope.ts';
import { both, expressionOf } from '../../access/condition.ts';
import type { Condition } from '../../access/condition.ts';
import { hides, seenValue } from '../../access/permissions.ts';
import type { Permissions } from '../../access/permissions.ts';
import { listParameters, projectionParameters } from '../../api/parameters.ts';
import type { journalParameters } from '../../api/parameters.ts';
import { MOST_TOLD, refuseParameters } from '../../api/problems.ts';
import type { ParameterFailure } from '../../api/problems.ts';
import { compileExpression } from '../../expression/compiled.ts';
import type { EvaluationContext } from '../../expression/context.ts';
import type { NameScope } from '../../expression/name-scope.ts';
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
import { readEquality } from '../../query/equality.ts';
import { compileCondition, filterReader } from '../../query/filter.ts';
import type { FilterReader } from '../../query/filter.ts';
import type { ListCondition, ListForm } from '../../query/list-form.ts';
import { filterable } from '../../query/listable.ts';
import { sortReader } from '../../query/sort.ts';
import type { SortReader } from '../../query/sort.ts';
import type { Dialect } from '../../sql/dialect.ts';
import { parametersOf } from '../../sql/parameters.ts';
import type { Binder, Parameters } from '../../sql/parameters.ts';
import { encoded } from '../../text/encoded.ts';
import { didYouMean } from '../../text/nearest.ts';
import { quoted } from '../../text/value.ts';
import { projectionReader } from './projection-parameters.ts';
import type { ProjectionReader } from './projection-parameters.ts';
import { addParameter, readFlag, readQuery } from './query.ts';

/** A parsed list query. */
export interface ListRequest {
  readonly form: ListForm;
  readonly limit: number;
  /** What binds the cursors of this list. */
  readonly binding: string;
  /** The query that all pages of this list share, without its `?`. */
  readonly shared: string;
  /** Whether each line of a journal is to say what records are called. */
  readonly labels: boolean;
}

type ListParameter = (typeof listParameters | typeof journalParameters)[number];

/** What reads the lists of a model for one kind of viewer. */
export interface ListReaders {
  readonly permissions: Permissions;
  readonly dialect: Dialect;
  readonly cursors: Cursors;
  /** What names mean to the viewer. */
  readonly scope: NameScope;
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
    scope,
    readFilter: filterReader(scope),
    readSort: sortReader(graph, model, dialect, scope),
    readProjection: projectionReader(permissions, model, model.listView),
  };
}

/** Which records a list is about, besides its query. */
export interface ListOf {
  /** The condition on its records. */
  readonly condition: Condition;
  /** Values that all its records have. */
  readonly always?: ListForm['filters'];
  /** The SQL of a condition that is no expression. */
  readonly extra?: ((parameters: Binder<EvaluationContext>) => string) | undefined;
  readonly under?: { readonly relation: Relation; readonly key: FieldValue } | undefined;
  /** Distinguishes lists with the same path and query but another condition. */
  readonly differs?: string;
  /** Parameters that other lists don't take. */
  readonly more?: typeof journalParameters | undefined;
}

export interface Paging {
  readonly default: number;
  readonly most: number;
}

/** Reads the query of a list; everything that is wrong with it is reported in one 400. */
export function readListRequest(
  model: Model,
  path: string,
  query: string,
  paging: Paging,
  readers: ListReaders,
  of: ListOf,
): ListRequest {
  const { dialect, readSort, readProjection } = readers;
  const failures: ParameterFailure[] = [];
  const asked = readParameters(model, query, readers, of.more ?? [], failures);
  const { single, shared } = asked;
  const total = readFlag('total', single.get('total'), failures);
  const etags = readFlag('etags', single.get('etags'), failures);
  const labels = readFlag('labels', single.get('labels'), failures);
  const limit = readLimit(single.get('limit'), total ? 0 : 1, etags ? taggedPaging(paging) : paging, failures);
  const given = Object.fromEntries(projectionParameters.map((name) => [name, single.get(name)]));
  const projection = readProjection(given, limit, failures);
  const parameters = parametersOf<EvaluationContext>(dialect);
  const chosen = readChoice(model, asked, readers, of, parameters, failures);
  const sort = readSort(single.get('sort'), parameters, failures);
  const offset = readOffset(single.get('offset'), failures);
  const binding = JSON.stringify([
    path,
    sort.map(({ field, descending }) => [field.member, descending]),
    chosen.wanted.map(({ field, values }) => [field.member, [...values].sort()]).sort(),
    ...(asked.equalities.size === 0 ? [] : [[...asked.equalities].map(([name, { among }]) => [name, among]).sort()]),
    ...(single.has('filter') ? [[single.get('filter'), single.get('filter-lang')]] : []),
  ]);
  const from = readPosition(single, offset, binding, readers.cursors, failures);
  refuseParameters(failures);

  return {
    form: {
      projection,
      sort,
      filters: [...(of.always ?? []), ...chosen.open],
      filter: chosen.filter,
      parameters,
      offset,
      total,
      etags,
      from,
      backward: single.has('before'),
      under: of.under && underOf(readers.permissions, of.under, dialect, parameters),
    },
    limit,
    binding,
    shared: shared.join('&'),
    labels,
  };
}

/** Records of a page with their ETags: all that is stored of each is read and hashed. */
const MOST_TAGGED = 25;

const taggedPaging = (paging: Paging): Paging => ({
  default: Math.min(paging.default, MOST_TAGGED),
  most: Math.min(paging.most, MOST_TAGGED),
});

/** A value that must be one of some. */
interface Equalities {
  readonly value: Expression;
  readonly among: FieldValue[];
}

/** The parameters of a list's query by their names, the values of its fields, and what links to other pages repeat. */
interface ListQuery {
  readonly single: ReadonlyMap<ListParameter, string>;
  readonly filters: ReadonlyMap<Field, FieldValue[]>;
  /** The values of computed values and paths, by name. */
  readonly equalities: ReadonlyMap<string, Equalities>;
  readonly shared: readonly string[];
}

function readParameters(
  model: Model,
  query: string,
  { permissions, scope }: ListReaders,
  more: readonly ListParameter[],
  failures: ParameterFailure[],
): ListQuery {
  const known: readonly ListParameter[] = [...listParameters, ...more];
  const equalities = new Map<string, Equalities>();
  const single = new Map<ListParameter, string>();
  const filters = new Map<Field, FieldValue[]>();
  const narrowing = filterable(model).filter(({ member }) => !hides(permissions, model, member));
  const columns = new Map(narrowing.map((field) => [field.member, field]));
  const shared: string[] = [];
  for (const [name, value] of readQuery(query)) {
    if (failures.length > MOST_TOLD) break;
    const field = columns.get(name);
    const parameter = known.find((one) => one === name);
    if (parameter !== undefined) {
      addParameter(single, parameter, value, failures);
    } else if (field === undefined) {
      const unknown = `no such parameter or field; ${didYouMean(name, [...columns.keys(), ...known])}`;
      const read = readEquality(scope, name, value, failures, unknown);
      if (read !== undefined)
        equalities.set(name, { ...read, among: [...(equalities.get(name)?.among ?? []), read.wanted] });
    } else {
      const read = readFieldValue(field, value, failures);
      if (read !== undefined) filters.set(field, [...(filters.get(field) ?? []), read]);
    }
    if (!PLACES.includes(name)) shared.push(`${encoded(name)}=${encoded(value)}`);
  }
  return { single, filters, equalities, shared };
}

/** The value of `?field=value`; undefined where no record can have it. */
function readFieldValue(field: Field, text: string, failures: ParameterFailure[]): FieldValue | undefined {
  const read = fromText(field, text);
  const choices = field.rules.enum;
  if ('fault' in read) failures.push({ parameter: field.member, detail: read.fault.detail });
  else if (choices?.includes(read.value as Scalar) === false) {
    const detail = `no ${field.member} is ${quoted(text)}; ${didYouMean(text, choices.map(String))}`;
    failures.push({ parameter: field.member, detail });
  } else return read.value;
  return undefined;
}

/** Which records a list has. */
interface Choice {
  /** The values that were given for fields; `open` are those of fields whose values every viewer sees. */
  readonly wanted: ListForm['filters'];
  readonly open: ListForm['filters'];
  readonly filter: ListCondition | undefined;
}

function readChoice(
  model: Model,
  { single, filters, equalities }: ListQuery,
  { permissions, dialect, readFilter }: ListReaders,
  of: ListOf,
  parameters: Parameters<EvaluationContext>,
  failures: ParameterFailure[],
): Choice {
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
  const equal = [...equalities.values()].map(({ value, among }) => oneOf(value, among));
  const condition = expressionOf(both(...(asked === undefined ? [] : [asked]), ...equal, ...guarded, of.condition));
  const own = condition && compileCondition(permissions.graph, model, dialect, condition, parameters);
  return { wanted, open, filter: withExtra(own, of.extra?.(parameters)) };
}

/** Where the page begins: the position in the cursor of `after` or `before`. */
function readPosition(
  single: ListQuery['single'],
  offset: number | undefined,
  binding: string,
  cursors: Cursors,
  failures: ParameterFailure[],
): readonly FieldValue[] | undefined {
  const [after, before] = [single.get('after'), single.get('before')];
  if (after !== undefined && before !== undefined) {
    failures.push({ parameter: 'before', detail: 'must not be given together with after' });
  }
  if (offset !== undefined && (after !== undefined || before !== undefined)) {
    failures.push({ parameter: 'offset', detail: 'must not be given together with after or before' });
  }
  const text = after ?? before;
  // A list whose order or filters are wrong can't say whether a cursor belongs to it.
  if (text === undefined || failures.length > 0) return undefined;
  const from = cursors.read(binding, text);
  const detail = 'is no cursor of this list; begin without it, and keep sort and filters as they were while paging';
  if (from === undefined) failures.push({ parameter: after === undefined ? 'before' : 'after', detail });
  return from;
}

const BOOLEAN = plain('boolean');

function oneOf(value: Expression, among: readonly FieldValue[]): Expression {
  const constants = among.map((one) => constant(one, value.type));
  return constants.length === 1
    ? { op: '=', left: value, right: constants[0]!, type: BOOLEAN }
    : { op: 'in', of: value, among: constants, type: BOOLEAN };
}

function withExtra(condition: ListCondition | undefined, extra: string | undefined): ListCondition | undefined {
  if (extra === undefined) return condition;
  return {
    sql: condition === undefined ? extra : `(${condition.sql}) AND (${extra})`,
    asked: { equal: [], ranges: [], ...condition?.asked, more: true },
    costly: condition?.costly === true,
  };
}

function underOf(
  permissions: Permissions,
  { relation, key }: NonNullable<ListOf['under']>,
  dialect: Dialect,
  parameters: Parameters<EvaluationContext>,
): ListForm['under'] {
  const { graph } = permissions;
  const parent = modelOf(graph, relation.target);
  const guard = expressionOf(permissions.may(parent, 'read'));
  const compiled = guard && compileExpression(guard, parent, graph, dialect, parameters);
  return { parent, field: relation.field, key, guard: compiled };
}

/** The parameters for the beginning of a page: links to other pages have their own. */
const PLACES = ['after', 'before', 'offset'];

function readOffset(text: string | undefined, failures: ParameterFailure[]): number | undefined {
  if (text === undefined || /^\d{1,9}$/.test(text)) return text === undefined ? undefined : Number(text);
  failures.push({
    parameter: 'offset',
    detail: `must be a whole number from 0 to 999999999, got ${JSON.stringify(text.slice(0, 40))}`,
  });
  return undefined;
}

function readLimit(text: string | undefined, least: number, paging: Paging, failures: ParameterFailure[]): number {
  if (text === undefined) return paging.default;
  const limit = /^\d{1,9}$/.test(text) ? Number(text) : -1;
  if (limit >= least && limit <= paging.most) return limit;
  const got = JSON.stringify(text.slice(0, 40));
  const detail = limit === 0 ? '0 goes with total=true' : `must be a whole number from 1 to ${paging.most}, got ${got}`;
  failures.push({ parameter: 'limit', detail });
  return paging.default;
}
