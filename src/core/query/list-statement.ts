import type { CompiledExpression } from '../expression/compiled.ts';
import type { Field, FieldValue, Model, SortKey } from '../model/graph.ts';
import type { Statement, StoreValue } from '../store/contract.ts';
import type { Dialect } from '../store/dialect.ts';
import { recordJson } from './statements.ts';

/** What a list is sorted by: a column, or else an expression, whose value has the form of `field`. */
export interface ListKey extends SortKey {
  readonly compiled?: CompiledExpression;
}

/** A list as it was asked for, once its parameters have been understood. */
export interface ListForm {
  readonly fields: readonly Field[];
  readonly sort: readonly ListKey[];
  /** A record is shown where each field has one of its values. */
  readonly filters: readonly { readonly field: Field; readonly values: readonly FieldValue[] }[];
  /** A condition. Its placeholders are the first of the statement; those of the sort's expressions come next. */
  readonly filter?: CompiledExpression | undefined;
  /** So many records are passed over. */
  readonly offset?: number | undefined;
  /** All records are counted, whatever the page. */
  readonly total?: boolean | undefined;
  /** The position to go on from, a value for each sort key; undefined at the beginning. */
  readonly from?: readonly FieldValue[] | undefined;
  /** Only the parts of one record of the model that this one is within. */
  readonly under?: { readonly parent: Model; readonly field: Field; readonly key: FieldValue } | undefined;
  /** Towards the beginning: the records are found, and come, in the opposite order. */
  readonly backward: boolean;
}

/** Its row: the records' JSON texts, joined; their number; the texts of their positions, joined; whether the parent is there; the number of all records. */
export interface ListStatement extends Statement {
  /** Whether the position of a record can be told from its own JSON; the positions are null then. */
  readonly shownPosition: boolean;
  /** Which values of the form's position the placeholders stand for, in their order. */
  readonly positions: readonly number[];
}

/** What two forms have in common where one statement serves both. */
export function formKey(form: ListForm): string {
  const nulls = form.from?.map((value) => (value === null ? '0' : '1')).join('') ?? '-';
  const filters = form.filters.map(({ field, values }) => `${field.member}*${values.length}`).join();
  const sort = form.sort.map(({ field, descending }) => (descending ? '-' : '') + field.member).join();
  const members = form.fields.map((field) => field.member).join();
  const rest = [form.backward, form.under !== undefined, form.offset !== undefined, form.total === true];
  return [members, filters, sort, nulls, ...rest, form.filter?.sql].join('|');
}

/** One statement for a page. It is asked for one record more than the page shows, to know whether there is a next one. */
export function listStatement(model: Model, form: ListForm, dialect: Dialect): ListStatement {
  const table = dialect.name(model.table);
  const column = (field: Field): string => `${table}.${dialect.name(field.column)}`;
  const keys = form.sort.map((key): OrderedBy => ({ ...key, sql: key.compiled?.sql ?? column(key.field) }));
  let placed = expressionsOf(form).reduce((sum, { places }) => sum + places, 0);
  const placeholder = (): string => dialect.placeholder((placed += 1));

  const parent = form.under === undefined ? '1' : parentExists(form.under, dialect, placeholder);
  const conditions: string[] = [];
  if (form.under !== undefined) conditions.push(`${column(form.under.field)} = ${placeholder()}`);
  for (const { field, values } of form.filters) {
    const wanted = values.map(placeholder).join(', ');
    conditions.push(values.length === 1 ? `${column(field)} = ${wanted}` : `${column(field)} IN (${wanted})`);
  }
  if (form.filter !== undefined) conditions.push(form.filter.sql);
  // The same placeholders stand for the same values once more.
  const total = form.total === true ? `(SELECT count(*) FROM ${table}${whereOf(conditions)})` : 'NULL';
  const keyset = form.from === undefined ? undefined : keysetOf(keys, form.backward, form.from, placeholder);
  if (keyset !== undefined) conditions.push(keyset.sql);

  const shownPosition = form.sort.every(({ field }) => form.fields.includes(field));
  const position = dialect.array(keys.map(({ field, sql }) => ({ field, column: sql })));
  const inner =
    `SELECT ${recordJson(model, form.fields, dialect)} AS j${shownPosition ? '' : `, ${position} AS p`} FROM ${table}` +
    whereOf(conditions) +
    ` ORDER BY ${keys.map((key) => orderTerm(key, form.backward, dialect)).join(', ')} LIMIT ${placeholder()}${form.offset === undefined ? '' : ` OFFSET ${placeholder()}`}`;
  const joined = shownPosition ? 'NULL' : dialect.joined('p');
  return {
    sql: `SELECT ${dialect.joined('j')}, count(*), ${joined}, ${parent}, ${total} FROM (${inner}) AS page`,
    shownPosition,
    positions: keyset?.positions ?? [],
  };
}

/** The values of a statement's placeholders, in their order; `limit` is the number of records to show. */
export function listValues(
  statement: ListStatement,
  form: ListForm,
  limit: number,
  dialect: Dialect,
  now: Date = new Date(0),
): StoreValue[] {
  const { under, from, offset } = form;
  const expressions = expressionsOf(form).flatMap((expression) => expression.values(now));
  const parent =
    under === undefined ? [] : [dialect.bind(under.field, under.key), dialect.bind(under.field, under.key)];
  const filters = form.filters.flatMap(({ field, values }) => values.map((value) => dialect.bind(field, value)));
  const position = statement.positions.map((index) => dialect.bind(form.sort[index]!.field, from![index]!));
  const end = offset === undefined ? [limit + 1] : [limit + 1, offset];
  return [...expressions, ...parent, ...filters, ...position, ...end];
}

const whereOf = (conditions: readonly string[]): string =>
  conditions.length === 0 ? '' : ` WHERE ${conditions.join(' AND ')}`;

function parentExists({ parent }: NonNullable<ListForm['under']>, dialect: Dialect, placeholder: () => string): string {
  const key = `${dialect.name(parent.key.column)} = ${placeholder()}`;
  return `EXISTS (SELECT 1 FROM ${dialect.name(parent.table)} WHERE ${key})`;
}

/** The expressions of a form, in the order of their placeholders. */
const expressionsOf = ({ filter, sort }: ListForm): CompiledExpression[] =>
  [filter, ...sort.map(({ compiled }) => compiled)].filter((expression) => expression !== undefined);

/** Whether the values of a form's statement are the same at any time. */
export const isFixed = (form: ListForm): boolean => expressionsOf(form).every(({ fixed }) => fixed);

/** A key of the order, and the SQL of its value. */
interface OrderedBy extends ListKey {
  readonly sql: string;
}

function orderTerm({ field, descending, sql }: OrderedBy, backward: boolean, dialect: Dialect): string {
  const nullable = !field.rules.required;
  if (!backward || !nullable) return dialect.order(sql, descending !== backward, nullable);
  // Backward, nulls come first; a plain flip of the direction would put them last again.
  return `${sql} IS NOT NULL, ${dialect.order(sql, !descending, false)}`;
}

interface Keyset {
  readonly sql: string;
  readonly positions: readonly number[];
}

/** The condition that a record stands after (or, backward, before) a position in a total order in which nulls are last. */
function keysetOf(
  sort: readonly OrderedBy[],
  backward: boolean,
  from: readonly FieldValue[],
  placeholder: () => string,
): Keyset {
  const positions: number[] = [];
  const value = (index: number): string => {
    positions.push(index);
    return placeholder();
  };
  const beyond = (descending: boolean): string => (descending === backward ? '>' : '<');

  // One row comparison, which an index serves, wherever all keys go one way and none can be null.
  if (sort.every(({ field, descending }) => field.rules.required && descending === sort[0]?.descending)) {
    const columns = sort.map(({ sql }) => sql).join(', ');
    const compared = `(${columns}) ${beyond(sort[0]!.descending)} (${sort.map((_key, index) => value(index)).join(', ')})`;
    return { sql: compared, positions };
  }

  const equal = ({ sql }: OrderedBy, index: number): string =>
    from[index] === null ? `${sql} IS NULL` : `${sql} = ${value(index)}`;
  const steps = sort.flatMap(({ field, descending, sql }, index) => {
    const isNull = from[index] === null;
    if (isNull && !backward) return [];
    const before = sort.slice(0, index).map(equal);
    if (isNull) return [[...before, `${sql} IS NOT NULL`]];
    const compared = `${sql} ${beyond(descending)} ${value(index)}`;
    const nullsFollow = !field.rules.required && !backward;
    return [[...before, nullsFollow ? `(${compared} OR ${sql} IS NULL)` : compared]];
  });
  return { sql: `(${steps.map((step) => `(${step.join(' AND ')})`).join(' OR ')})`, positions };
}
