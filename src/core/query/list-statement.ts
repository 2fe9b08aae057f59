import { LRUCache } from 'lru-cache';
import type { CompiledExpression } from '../expression/compiled.ts';
import type { EvaluationContext } from '../expression/context.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model, SortKey } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Statement, StoreValue } from '../sql/statement.ts';
import type { Asked, Bounds } from './bounds.ts';
import { isCostlyToShow } from './cost.ts';
import type { Wanted } from './index-advice.ts';
import { keysetOf } from './keyset.ts';
import type { OrderedBy } from './keyset.ts';
import { orderTerm } from './order.ts';
import { projectionSql } from './projection-sql.ts';
import { isStored, mostRecords, nameOf } from './projection.ts';
import type { ProjectedMember, Projection } from './projection.ts';

/** What a list is sorted by: a column, or else an expression, whose value has the form of `field`. */
export interface ListKey extends SortKey {
  readonly compiled?: CompiledExpression;
}

/** A condition of the client's. */
export interface ListCondition extends CompiledExpression {
  readonly asked: Pick<Asked, 'equal' | 'ranges' | 'more'>;
  /** Whether it takes long to work out, be it of a single record. */
  readonly costly: boolean;
}

/** A list as it was asked for, once its parameters have been understood. */
export interface ListForm {
  readonly projection: Projection;
  readonly sort: readonly ListKey[];
  /** A record is shown where each field has one of its values. */
  readonly filters: readonly { readonly field: Field; readonly values: readonly FieldValue[] }[];
  /** Its placeholders are the first of the statement; those of the sort's expressions come next. */
  readonly filter?: ListCondition | undefined;
  /** So many records are passed over. */
  readonly offset?: number | undefined;
  /** All records are counted, whatever the page. */
  readonly total?: boolean | undefined;
  /** The position to go on from, a value for each sort key; undefined at the beginning. */
  readonly from?: readonly FieldValue[] | undefined;
  /** Only the parts of one record of the model that this one is within. */
  readonly under?: Under | undefined;
  /** Towards the beginning: the records are found, and come, in the opposite order. */
  readonly backward: boolean;
}

/**
 * The record that a list's records are parts of. It counts as absent where its guard isn't true, the last of the
 * list's expressions.
 */
export interface Under {
  readonly parent: Model;
  readonly field: Field;
  readonly key: FieldValue;
  readonly guard?: CompiledExpression | undefined;
}

/**
 * Its row: the records' JSON texts, joined; their number; the texts of their positions, joined; whether the parent is
 * there; the number of all records.
 */
export interface ListStatement extends Statement {
  /** Whether the position of a record can be told from its own JSON; the positions are null then. */
  readonly shownPosition: boolean;
  /** Which values of the form's position the placeholders stand for, in their order. */
  readonly positions: readonly number[];
  /** The values of the last placeholders, those of what is shown. */
  shownValues(evaluation: EvaluationContext): StoreValue[];
  /** Whether these are the same at any time. */
  readonly shownFixed: boolean;
  /** What it asks of the indexes of its table, for those who want to know which one would help. */
  readonly wanted: Wanted;
}

/** What is known of a model where its lists are made. */
export interface Listed {
  readonly graph: Graph;
  readonly model: Model;
  readonly bounds: Bounds;
  readonly dialect: Dialect;
}

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
  ];
  return [nameOf(form.projection), filters, sort, nulls, ...rest, form.filter?.sql].join('|');
}

/** The statements of a model's lists: each form is compiled once, and so many are kept. */
export function listStatements(listed: Listed, kept: number): (form: ListForm) => ListStatement {
  const statements = new LRUCache<string, ListStatement>({ max: kept });
  return (form) => {
    const key = formKey(form);
    let statement = statements.get(key);
    if (statement === undefined) statements.set(key, (statement = listStatement(listed, form)));
    return statement;
  };
}

/** To pass over so many records costs no more than a page. */
const NEAR = 500;
/** Where so many may come along with each record of a page, it is no quick answer. */
const MANY = 100;

/**
 * One statement for a page. It is asked for one record more than the page shows, to know whether there is a next one.
 */
export function listStatement({ graph, model, bounds, dialect }: Listed, form: ListForm): ListStatement {
  const table = dialect.name(model.table);
  const column = (field: Field): string => `${table}.${dialect.name(field.column)}`;
  const keys = form.sort.map((key): OrderedBy => ({ ...key, sql: key.compiled?.sql ?? column(key.field) }));
  let placed = expressionsOf(form).reduce((sum, { placeholderCount }) => sum + placeholderCount, 0);
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
  const asked = askedBy(form);
  const served = form.sort.every(({ compiled }) => compiled === undefined) && bounds.orders(asked.equal, form.sort);
  const arms = armsOf(keys, form, served);
  const positions: number[] = [];
  const keysets = arms.map(({ keys: order, from, isNull }) => {
    const own = isNull === undefined ? [] : [`${keys[0]!.sql} IS ${isNull ? '' : 'NOT '}NULL`];
    if (from === undefined) return own;
    const keyset = keysetOf(order, form.backward, from, placeholder);
    positions.push(...keyset.positions.map((position) => position + keys.length - order.length));
    return [...own, keyset.sql];
  });
  const limit = `LIMIT ${placeholder()}`;
  const offset = form.offset === undefined ? '' : ` OFFSET ${placeholder()}`;

  const shown = projectionSql(graph, model, form.projection, dialect, placed);
  const json = dialect.text(shown.json);
  const shownPosition = form.sort.every(({ field, compiled }) => !compiled && isPlain(form.projection, field));
  const positionOf = (values: readonly string[]): string => {
    if (shownPosition) return '';
    return `, ${dialect.text(dialect.array(keys.map(({ field }, at) => dialect.value(field, values[at]!))))} AS p`;
  };
  /** The rows of all parts, each with what is selected of it. */
  const found = (selected: string): string => {
    const parts = arms.map(
      ({ keys: order }, at) =>
        `SELECT ${selected} FROM ${table}${whereOf([...conditions, ...keysets[at]!])}${orderOf(order)} ${limit}`,
    );
    if (parts.length === 1) return parts[0]! + offset;
    // Databases go through such parts one after the other.
    return `${parts.map((part, at) => `SELECT * FROM (${part}) AS part${at}`).join(' UNION ALL ')} ${limit}`;
  };
  const rows = (): string => {
    const direct = served && form.offset === undefined && (arms.length === 1 || isStored(form.projection));
    if (direct) {
      return found(`${json} AS j${positionOf(keys.map(({ sql }) => sql))}`);
    }
    // Records are passed over: the JSON is made once it is known which ones are shown.
    const selected = keys.map(({ sql }, at) => `${sql} AS s${at}`).join(', ');
    const names = keys.map((_key, at) => `page.s${at}`);
    const again = orderOf(keys.map((key, at) => ({ ...key, sql: names[at]! })));
    const page = found(`${column(model.key)} AS k, ${selected}`);
    return (
      `SELECT ${json} AS j${positionOf(names)} ` +
      `FROM (${page}) AS page JOIN ${table} ON ${column(model.key)} = ` +
      `page.k${again}`
    );
  };
  const joined = shownPosition ? 'NULL' : dialect.joined('p');
  const bounded = served && bounds.isBounded(asked) && form.total !== true && (form.offset ?? 0) <= NEAR;
  return {
    sql: `SELECT ${dialect.joined('j')}, count(*), ${joined}, ${parent}, ${total} FROM (${rows()}) AS shown`,
    slow:
      !bounded ||
      form.filter?.costly === true ||
      mostRecords(form.projection) > MANY ||
      isCostlyToShow(form.projection),
    shownPosition,
    positions,
    shownValues: shown.values,
    shownFixed: shown.isConstant,
    wanted: { model, asked, computed: form.sort.some(({ compiled }) => compiled !== undefined), bounded },
  };

  function orderOf(order: readonly OrderedBy[]): string {
    return ` ORDER BY ${order.map((key) => orderTerm(key, key.sql, form.backward, dialect)).join(', ')}`;
  }
}

/** The values of a statement's placeholders, in their order; `limit` is the number of records to show. */
export function listValues(
  statement: ListStatement,
  form: ListForm,
  limit: number,
  dialect: Dialect,
  evaluation: EvaluationContext,
): StoreValue[] {
  const { under, from, offset } = form;
  const expressions = expressionsOf(form).flatMap((expression) => expression.values(evaluation));
  const parent =
    under === undefined ? [] : [dialect.bind(under.field, under.key), dialect.bind(under.field, under.key)];
  const filters = form.filters.flatMap(({ field, values }) => values.map((value) => dialect.bind(field, value)));
  const position = statement.positions.map((index) => dialect.bind(form.sort[index]!.field, from![index]!));
  const end = offset === undefined ? [limit + 1] : [limit + 1, offset];
  return [...expressions, ...parent, ...filters, ...position, ...end, ...statement.shownValues(evaluation)];
}

const whereOf = (conditions: readonly string[]): string =>
  conditions.length === 0 ? '' : ` WHERE ${conditions.join(' AND ')}`;

function parentExists({ parent, guard }: Under, dialect: Dialect, placeholder: () => string): string {
  const key = `${dialect.name(parent.key.column)} = ${placeholder()}`;
  return (
    `EXISTS (SELECT 1 FROM ${dialect.name(parent.table)} ` +
    `WHERE ${key}${guard === undefined ? '' : ` AND ${guard.sql}`})`
  );
}

/** The expressions of a form, in the order of their placeholders. */
const expressionsOf = ({ filter, sort, under }: ListForm): CompiledExpression[] =>
  [filter, ...sort.map(({ compiled }) => compiled), under?.guard].filter((expression) => expression !== undefined);

/** Whether the values of a form's statement are the same at any time. */
export const isFixed = (form: ListForm, statement: ListStatement): boolean =>
  statement.shownFixed && expressionsOf(form).every(({ isConstant }) => isConstant);

const isPlain = (projection: Projection, field: Field): boolean =>
  projection.some((member) => isWhole(member) && member.field === field) &&
  // A position is cheaper to write out than to read from a record with others inside it.
  projection.every(({ kind }) => kind !== 'one' && kind !== 'many');

/** Whether a member is a field of the record, as it is stored. */
const isWhole = (member: ProjectedMember): member is ProjectedMember & { kind: 'field' } =>
  member.kind === 'field' && member.inside === undefined && member.value === undefined && member.when === undefined;

/** What a form asks of the table's indexes. */
function askedBy({ filters, filter, under, sort }: ListForm): Asked {
  const single = filters.filter(({ values }) => values.length === 1).map(({ field }) => field);
  return {
    equal: [...(under === undefined ? [] : [under.field]), ...single, ...(filter?.asked.equal ?? [])],
    ranges: filter?.asked.ranges ?? [],
    more: filter?.asked.more === true || single.length < filters.length,
    order: sort,
  };
}

/** A part of a list: the records with, or those without, a value of the first key. */
interface Arm {
  readonly keys: readonly OrderedBy[];
  readonly from: readonly FieldValue[] | undefined;
  /** Undefined where the list is in one part. */
  readonly isNull?: boolean;
}

/**
 * No index holds nulls last in both directions. But one gives the records that have a value, in either, and then those
 * that have none: so a list that an index serves is made of the two where its first key may be null.
 */
function armsOf(keys: readonly OrderedBy[], { from, backward, offset }: ListForm, served: boolean): Arm[] {
  const [first, ...rest] = keys;
  if (!served || first!.field.rules.required || rest.length === 0 || offset !== undefined) return [{ keys, from }];
  const { rules } = first!.field;
  const known: OrderedBy = { ...first!, field: { ...first!.field, rules: { ...rules, required: true } } };
  const atNull = from?.[0] === null;
  const withValue: Arm = { keys: [known, ...rest], from: atNull ? undefined : from, isNull: false };
  const without: Arm = { keys: rest, from: atNull ? from.slice(1) : undefined, isNull: true };
  if (backward) return from === undefined || atNull ? [without, withValue] : [withValue];
  return atNull ? [without] : [withValue, without];
}
