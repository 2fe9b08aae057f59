import { LRUCache } from 'lru-cache';
import type { EvaluationContext } from '../expression/context.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import { keyFields, partsOf } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
import type { Dialect } from '../sql/dialect.ts';
import { parametersOf } from '../sql/parameters.ts';
import type { Binder } from '../sql/parameters.ts';
import type { Statement, StoreValue } from '../sql/statement.ts';
import { comparable, fieldIs, fieldIsAmong, sortable, valueOfSortable } from '../sql/stored.ts';
import type { Asked, Bounds } from './bounds.ts';
import { isCostlyToShow } from './cost.ts';
import type { Wanted } from './index-advice.ts';
import { keysetOf } from './keyset.ts';
import type { OrderedBy } from './keyset.ts';
import { armsOf } from './list-arms.ts';
import type { Arm } from './list-arms.ts';
import { formKey, NEAR } from './list-form.ts';
import type { ListForm, Under } from './list-form.ts';
import { orderTerm } from './order.ts';
import { projectionSql } from './projection-sql.ts';
import { storedText } from './statements.ts';
import { isStored, mostRecords } from './projection.ts';
import type { ProjectedMember, Projection } from './projection.ts';

/** What one run of a list's statement is given. */
export interface ListRun extends EvaluationContext {
  readonly form: ListForm;
  /** How many records are shown at most. */
  readonly limit: number;
}

/**
 * Its row: the records' JSON texts, joined; their number; the texts of their positions, joined; whether the parent
 * exists; the number of all records; and with `etags` the texts of what is stored, joined.
 */
export interface ListStatement extends Statement {
  /** Whether the position of a record can be read from its own JSON; the positions are null then. */
  readonly shownPosition: boolean;
  values(run: ListRun): StoreValue[];
  /** Whether what is shown is the same at any time, and for anybody. */
  readonly isShownConstant: boolean;
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

/** The statements of a model's lists: each form is compiled once, and `kept` of them stay. */
export function listStatements(listed: Listed, kept: number): (form: ListForm) => ListStatement {
  const statements = new LRUCache<string, ListStatement>({ max: kept });
  return (form) => {
    const key = formKey(form);
    let statement = statements.get(key);
    if (statement === undefined) statements.set(key, (statement = listStatement(listed, form)));
    return statement;
  };
}

/** With more related records for each record of a page, the answer is not quick. */
const MANY = 100;

/**
 * One statement for a page. It is asked for one record more than the page shows, to know whether there is a next one.
 */
export function listStatement({ graph, model, bounds, dialect }: Listed, form: ListForm): ListStatement {
  const table = dialect.name(model.table);
  const column = (field: Field): string => sortable(dialect, field, table);
  const keys = form.sort.map((key): OrderedBy => ({ ...key, sql: key.sql ?? column(key.field) }));
  const parameters = parametersOf<ListRun>(dialect, form.parameters.count);
  const parent = form.under === undefined ? '1' : parentExists(form.under, dialect, parameters);
  const conditions = conditionsOf(form, table, dialect, parameters);
  // A repeated placeholder has the same value.
  const total = form.total === true ? `(SELECT count(*) FROM ${table}${whereOf(conditions)})` : 'NULL';
  const asked = askedBy(form);
  const served = form.sort.every(({ sql }) => sql === undefined) && bounds.orders(asked.equal, form.sort);
  const shown = notingVariables(parameters);
  const page: PageSql = {
    table,
    keys,
    own: keyFields(model).map(column),
    form,
    arms: armsOf(keys, form, served),
    conditions,
    served,
    shownPosition: form.sort.every(({ field, sql }) => sql === undefined && isPlain(form.projection, field)),
    dialect,
    json: () => dialect.text(projectionSql(graph, model, form.projection, dialect, shown.binder)),
    stored: form.etags === true ? storedText(graph, model, dialect) : undefined,
  };
  const rows = dialect.ordersJoined === true ? joinedInOrder(page, parameters) : joinedRows(page, parameters);
  const bounded = served && bounds.isBounded(asked) && form.total !== true && (form.offset ?? 0) <= NEAR;
  return {
    sql:
      `SELECT ${rows.json}, count(*), ${rows.position ?? 'NULL'}, ${parent}, ${total}` +
      `${rows.stored === undefined ? '' : `, ${rows.stored}`} FROM ${rows.from}`,
    slow:
      !bounded ||
      form.filter?.costly === true ||
      mostRecords(form.projection) > MANY ||
      isCostlyToShow(form.projection),
    shownPosition: page.shownPosition,
    values: (run) => [...run.form.parameters.values(run), ...parameters.values(run)],
    isShownConstant: !shown.varies(),
    wanted: { model, asked, computed: form.sort.some(({ sql }) => sql !== undefined), bounded },
  };
}

/** Whether the values of a form's statement are the same at any time. */
export const isFixed = (form: ListForm, statement: ListStatement): boolean =>
  statement.isShownConstant && form.parameters.isConstant;

/** A binder that notes whether anything but constants was bound. */
function notingVariables(parameters: Binder<EvaluationContext>): {
  readonly binder: Binder<EvaluationContext>;
  varies(): boolean;
} {
  let varies = false;
  return {
    binder: {
      bind(value) {
        varies = true;
        return parameters.bind(value);
      },
      constant: parameters.constant,
    },
    varies: () => varies,
  };
}

/** What the rows of a page are selected with. */
interface PageSql {
  readonly table: string;
  readonly keys: readonly OrderedBy[];
  /** The columns of the key. */
  readonly own: readonly string[];
  readonly form: ListForm;
  readonly arms: readonly Arm[];
  readonly conditions: readonly string[];
  /** Whether an index serves the order. */
  readonly served: boolean;
  readonly shownPosition: boolean;
  readonly dialect: Dialect;
  /** The text of a record's JSON. */
  json(): string;
  /** The text of what an ETag is made of; undefined where none is asked for. */
  readonly stored: string | undefined;
}

/** What is joined of the rows of a page, and what those are selected from. */
interface JoinedRows {
  readonly json: string;
  readonly position: string | undefined;
  readonly stored: string | undefined;
  readonly from: string;
}

/** Selects something of the rows of all parts of a page. */
function findsRows(page: PageSql, parameters: Binder<ListRun>): (selected: string) => string {
  const { table, form, arms } = page;
  const keysets = arms.map((arm) => armConditions(arm, page, parameters));
  const limit = `LIMIT ${parameters.bind((run) => run.limit + 1)}`;
  const offset = form.offset === undefined ? '' : ` OFFSET ${parameters.bind((run) => run.form.offset!)}`;
  return (selected) => {
    const parts = arms.map(
      ({ keys: order }, at) =>
        `SELECT ${selected} FROM ${table}${whereOf([...page.conditions, ...keysets[at]!])}` +
        `${orderOf(order, page)} ${limit}`,
    );
    if (parts.length === 1) return parts[0]! + offset;
    // Databases go through such parts one after the other.
    return `${parts.map((part, at) => `SELECT * FROM (${part}) AS part${at}`).join(' UNION ALL ')} ${limit}`;
  };
}

/** The rows of a page in their order, with the text of each and its position: these are joined. */
function joinedRows(page: PageSql, parameters: Binder<ListRun>): JoinedRows {
  const { keys, form, arms, served, dialect } = page;
  const found = findsRows(page, parameters);
  const json = page.json();
  const direct = served && form.offset === undefined && (arms.length === 1 || isStored(form.projection));
  const texts = (values: readonly string[]): string => {
    const position = positionOf(values, page);
    const parts = [`${json} AS j`, position && `${position} AS p`, page.stored && `${page.stored} AS t`];
    return parts.filter((part) => part !== undefined).join(', ');
  };
  const again = keysOfPage(page);
  const rows = direct
    ? found(texts(keys.map(({ sql }) => sql)))
    : `SELECT ${texts(again.map(({ sql }) => sql))} FROM ${pageOf(page, found)}${orderOf(again, page)}`;
  return {
    json: dialect.joined('j'),
    position: page.shownPosition ? undefined : dialect.joined('p'),
    stored: page.stored && dialect.joined('t'),
    from: `(${rows}) AS shown`,
  };
}

/** The same where the rows of a SELECT that stands in a FROM have no order: it is given as they are joined. */
function joinedInOrder(page: PageSql, parameters: Binder<ListRun>): JoinedRows {
  const { dialect } = page;
  const from = pageOf(page, findsRows(page, parameters));
  const again = keysOfPage(page);
  const order = orderTerms(again, page);
  const position = positionOf(
    again.map(({ sql }) => sql),
    page,
  );
  return {
    json: dialect.joined(page.json(), order),
    position: position && dialect.joined(position, order),
    stored: page.stored && dialect.joined(page.stored, order),
    from,
  };
}

/**
 * The keys of a page's records, and the records: where some are passed over, the JSON is made once it is known which
 * ones are shown.
 */
function pageOf({ keys, own, table }: PageSql, found: (selected: string) => string): string {
  const selected = [...own.map((sql, at) => `${sql} AS k${at}`), ...keys.map(({ sql }, at) => `${sql} AS s${at}`)];
  const isThis = own.map((sql, at) => `${sql} = page.k${at}`).join(' AND ');
  return `(${found(selected.join(', '))}) AS page JOIN ${table} ON ${isThis}`;
}

const keysOfPage = ({ keys }: PageSql): OrderedBy[] => keys.map((one, at) => ({ ...one, sql: `page.s${at}` }));

function positionOf(values: readonly string[], { shownPosition, keys, dialect }: PageSql): string | undefined {
  if (shownPosition) return undefined;
  return dialect.text(
    dialect.array(keys.map(({ field }, at) => dialect.value(field, valueOfSortable(dialect, field, values[at]!)))),
  );
}

const orderTerms = (order: readonly OrderedBy[], { form, dialect }: PageSql): string =>
  order.map((key) => orderTerm(key, key.sql, form.backward, dialect)).join(', ');

const orderOf = (order: readonly OrderedBy[], page: PageSql): string => ` ORDER BY ${orderTerms(order, page)}`;

/** What chooses the records of one part of a list, and of them those after the position. */
function armConditions({ keys: order, from, isNull }: Arm, page: PageSql, parameters: Binder<ListRun>): string[] {
  const { keys, form, dialect } = page;
  const own = isNull === undefined ? [] : [`${keys[0]!.sql} IS ${isNull ? '' : 'NOT '}NULL`];
  if (from === undefined) return own;
  const skipped = keys.length - order.length;
  const value = (index: number): string => {
    const at = index + skipped;
    const bound = parameters.bind((run) => dialect.bind(run.form.sort[at]!.field, run.form.from![at]!));
    return comparable(dialect, form.sort[at]!.field, bound);
  };
  return [...own, keysetOf(order, form.backward, from, value)];
}

function conditionsOf(form: ListForm, table: string, dialect: Dialect, parameters: Binder<ListRun>): string[] {
  const conditions: string[] = [];
  if (form.under !== undefined) {
    const { field } = form.under;
    const key = parameters.bind((run) => dialect.bind(field, run.form.under!.key));
    conditions.push(fieldIs(dialect, field, key, table));
  }
  for (const [at, { field, values }] of form.filters.entries()) {
    const wanted = values.map((_value, nth) =>
      parameters.bind((run) => dialect.bind(field, run.form.filters[at]!.values[nth]!)),
    );
    conditions.push(fieldIsAmong(dialect, field, wanted, table));
  }
  if (form.filter !== undefined) conditions.push(form.filter.sql);
  return conditions;
}

const whereOf = (conditions: readonly string[]): string =>
  conditions.length === 0 ? '' : ` WHERE ${conditions.join(' AND ')}`;

function parentExists({ parent, guard }: Under, dialect: Dialect, parameters: Binder<ListRun>): string {
  const own = parameters.bind((run) => dialect.bind(run.form.under!.field, run.form.under!.key));
  const key = fieldIs(dialect, parent.key, own);
  const and = guard === undefined ? '' : ` AND ${guard}`;
  return `EXISTS (SELECT 1 FROM ${dialect.name(parent.table)} WHERE ${key}${and})`;
}

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
    equal: [...(under === undefined ? [] : [under.field]), ...single, ...(filter?.asked.equal ?? [])].flatMap(partsOf),
    ranges: filter?.asked.ranges ?? [],
    more: filter?.asked.more === true || single.length < filters.length,
    order: sort,
  };
}
