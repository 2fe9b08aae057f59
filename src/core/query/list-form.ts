import type { EvaluationContext } from '../expression/context.ts';
import type { Field } from '../model/field.ts';
import type { Model, SortKey } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { Parameters } from '../sql/parameters.ts';
import type { Asked } from './bounds.ts';
import { nameOf } from './projection.ts';
import type { Projection } from './projection.ts';

/** What a list is sorted by: a column, or else the SQL of an expression, whose value has the form of `field`. */
export interface ListKey extends SortKey {
  readonly sql?: string;
}

/** A condition of the client's. */
export interface ListCondition {
  readonly sql: string;
  readonly asked: Pick<Asked, 'equal' | 'ranges' | 'more'>;
  /** Whether it takes long to work out for a single record. */
  readonly costly: boolean;
}

/** A list as it was requested, once its parameters have been read. */
export interface ListForm {
  readonly projection: Projection;
  readonly sort: readonly ListKey[];
  /** A record is shown where each field has one of its values. */
  readonly filters: readonly { readonly field: Field; readonly values: readonly FieldValue[] }[];
  readonly filter?: ListCondition | undefined;
  /** The values in `filter`, `sort` and `under`: the first parameters of the statement. */
  readonly parameters: Parameters<EvaluationContext>;
  /** How many records are passed over. */
  readonly offset?: number | undefined;
  /** Whether all records are counted, whatever the page. */
  readonly total?: boolean | undefined;
  /** Whether all that is stored of each record is read, too, for its ETag. */
  readonly etags?: boolean | undefined;
  /** The position to go on from, a value for each sort key; undefined at the beginning. */
  readonly from?: readonly FieldValue[] | undefined;
  /** Only the children of one record of the parent model. */
  readonly under?: Under | undefined;
  /** Towards the beginning: the records are found, and come, in the opposite order. */
  readonly backward: boolean;
}

/** The parent of a list's records. It counts as absent where its guard is not true. */
export interface Under {
  readonly parent: Model;
  readonly field: Field;
  readonly key: FieldValue;
  /** SQL. */
  readonly guard?: string | undefined;
}

/** Passing over so many records costs no more than a page. */
export const NEAR = 500;

/** What two forms have in common where one statement serves both. */
export function formKey(form: ListForm): string {
  const nulls = form.from?.map((value) => (value === null ? '0' : '1')).join('') ?? '-';
  const filters = form.filters.map(({ field, values }) => `${field.member}*${values.length}`).join();
  const sort = form.sort.map(({ field, descending }) => (descending ? '-' : '') + field.member).join();
  const rest = [
    form.backward,
    form.under !== undefined,
    (form.offset ?? -1) > NEAR,
    form.offset === undefined,
    form.total === true,
    form.etags === true,
  ];
  return [nameOf(form.projection), filters, sort, nulls, ...rest, form.filter?.sql].join('|');
}
