import { didYouMean } from '../declaration/nearest.ts';
import { LIST_PARAMETERS } from '../model/collisions.ts';
import type { Field, FieldValue, Model } from '../model/graph.ts';
import { isScalar } from '../model/types.ts';
import { fromText } from '../model/value.ts';
import type { Cursors } from '../query/cursor.ts';
import type { ListForm } from '../query/list-statement.ts';
import type { FilterReader } from './filter.ts';
import type { SortReader } from './sort.ts';
import type { ParameterFailure } from './problems.ts';
import { refuseParameters } from './problems.ts';
import { readQuery } from './query.ts';
import { shownParameters } from './shown.ts';
import type { ShownReader } from './shown.ts';

/** A list's query, understood. */
export interface ListRequest {
  readonly form: ListForm;
  readonly limit: number;
  /** What the cursors of this list are good for. */
  readonly binding: string;
  /** The query that all pages of this list share, without its `?`. */
  readonly shared: string;
}

/** The parameters that lists of this version take, beside `<field>=value`. */
export const listParameters = [
  'filter',
  'filter-lang',
  'sort',
  'limit',
  'after',
  'before',
  'offset',
  'total',
  ...shownParameters,
] as const;
type ListParameter = (typeof listParameters)[number];

/** The fields that a list can be narrowed by as `?field=value`. */
export const filterable = (model: Model): Field[] =>
  model.shown.filter((field) => isScalar(field.type) && !(LIST_PARAMETERS as readonly string[]).includes(field.member));

/** The names of the fields and computed values that a list can be sorted by. */
export const sortable = (model: Model): string[] =>
  [...model.shown, ...model.computed].filter(({ type }) => isScalar(type)).map(({ member }) => member);

/** What reads those parts of a query that need more than the model. */
export interface ListReaders {
  readonly cursors: Cursors;
  readonly readFilter: FilterReader;
  readonly readSort: SortReader;
  readonly readShown: ShownReader;
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
  { cursors, readFilter, readSort, readShown }: ListReaders,
  under?: ListForm['under'],
): ListRequest {
  const failures: ParameterFailure[] = [];
  const single = new Map<ListParameter, string>();
  const filters = new Map<Field, FieldValue[]>();
  const columns = new Map(filterable(model).map((field) => [field.member, field]));
  const shared: string[] = [];

  for (const [name, value] of readQuery(query)) {
    const field = columns.get(name);
    if (isListParameter(name)) {
      if (single.has(name)) failures.push({ parameter: name, detail: 'must be given once' });
      single.set(name, value);
    } else if (field === undefined) {
      const detail = `no such parameter or field; ${didYouMean(name, [...listParameters, ...columns.keys()])}`;
      failures.push({ parameter: name, detail });
    } else {
      const read = fromText(field, value);
      if ('fault' in read) failures.push({ parameter: name, detail: read.fault.detail });
      else filters.set(field, [...(filters.get(field) ?? []), read.value]);
    }
    if (!PLACES.includes(name)) shared.push(`${encoded(name)}=${encoded(value)}`);
  }

  const limit = readLimit(single.get('limit'), paging, failures);
  const [view, fields, include] = shownParameters.map((name) => single.get(name));
  const shown = readShown({ view, fields, include }, limit, failures);
  const [text, language] = [single.get('filter'), single.get('filter-lang')];
  if (text === undefined && language !== undefined)
    failures.push({ parameter: 'filter-lang', detail: 'goes with filter' });
  const filter = text === undefined ? undefined : readFilter(text, language, failures);
  const sort = readSort(single.get('sort'), filter?.places ?? 0, failures);
  const offset = readOffset(single.get('offset'), failures);
  const total = readFlag('total', single.get('total'), failures);
  const wanted = [...filters].map(([field, values]) => ({ field, values }));
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
    form: { shown, sort, filters: wanted, filter, offset, total, from, backward: before !== undefined, under },
    limit,
    binding,
    shared: shared.join('&'),
  };
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
