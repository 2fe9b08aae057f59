import { isOfCalendar } from '../model/expression.ts';
import type { Aggregate, CalendarNode, Expression, Many, ValueKind } from '../model/expression.ts';
import { modelOf } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { ExpressionDialect } from '../sql/expression-dialect.ts';
import { columnValue } from '../sql/stored.ts';
import { manyAmong, manyJoined, oneJoined } from './joins.ts';
import type { SqlKey } from './joins.ts';
import { listsSql } from './lists-sql.ts';
import type { ListWriter, OfEach } from './lists-sql.ts';

/** The value of a placeholder: a constant of the expression, or what is known only when the statement runs. */
export type Bound =
  | { readonly kind: 'constant'; readonly value: FieldValue; readonly type: ValueKind }
  | { readonly kind: 'now' | 'today' | 'me'; readonly type: ValueKind }
  | { readonly kind: 'role'; readonly role: string; readonly type: ValueKind };

/** What is needed to turn an expression into SQL. */
export interface SqlContext {
  readonly models: { readonly byName: ReadonlyMap<string, Model> };
  readonly dialect: ExpressionDialect;
  /** Takes a value as a parameter of the statement, and returns its placeholder. */
  place(bound: Bound): string;
  /** A name that no other table of the statement has. */
  alias(): string;
  /** How many levels of the dialect's `deepest` are used already, by selects around the expression. */
  readonly inside?: number;
  /** The final form of the value, which is computed once. */
  readonly finish?: ((value: string) => string) | undefined;
}

/** The least depth that every expression needs. */
const LEAST_DEPTH = 2;

/** What SQL is written with. */
export interface SqlWriter {
  readonly around: SqlContext;
  readonly expression: Expression;
  readonly model: Model;
  readonly alias: string;
  readonly deepest: number;
  readonly dialect: ExpressionDialect;
  readonly name: (identifier: string) => string;
  readonly models: { readonly byName: ReadonlyMap<string, Model> };
  /** In a condition over each of many: the row of the record that they belong to. */
  readonly outer?: {
    readonly writer: SqlWriter;
    readonly model: Model;
    readonly row: string;
    readonly beside: string[];
  };
}

/**
 * The SQL of an expression over the rows of `model`, in a statement where its table is called `alias` (an identifier,
 * quoted). Every constant is a parameter.
 */
export function toSql(expression: Expression, model: Model, alias: string, around: SqlContext): string {
  const { dialect, models } = around;
  const { name } = dialect;
  const deepest =
    dialect.deepest === undefined ? Infinity : Math.max(LEAST_DEPTH, dialect.deepest - (around.inside ?? 0));
  const writer: SqlWriter = { around, expression, model, alias, deepest, dialect, name, models };
  return finished(writer);
}

function finished(writer: SqlWriter): string {
  const { around, expression, model, alias, deepest } = writer;
  const { finish } = around;
  if (finish === undefined || finish('x') === 'x') return valueOver(writer, expression, model, alias);
  if (deepest === Infinity) return finish(valueOver(writer, expression, model, alias));
  const beside: string[] = [];
  const value = sql(writer, expression, model, alias, beside);
  const named = around.alias();
  const steps = [...beside, `${named}(x) AS MATERIALIZED (SELECT ${value})`].join(', ');
  return `(WITH ${steps} SELECT ${finish('x')} FROM ${named})`;
}

/** A whole expression over one row, with its common table expressions. */
function valueOver(writer: SqlWriter, node: Expression, over: Model, row: string): string {
  const beside: string[] = [];
  const value = sql(writer, node, over, row, beside);
  return beside.length === 0 ? value : `(WITH ${beside.join(', ')} SELECT ${value})`;
}

function sql(writer: SqlWriter, node: Expression, over: Model, row: string, beside: string[]): string {
  const { deepest, around } = writer;
  const text = bare(writer, node, over, row, beside);
  return deepest === Infinity || depthOf(text) <= deepest ? text : putBeside(around, text, beside);
}

/** Works a value out in a common table expression, and returns what stands in its place. */
function putBeside(around: SqlContext, text: string, beside: string[]): string {
  const named = around.alias();
  beside.push(`${named}(x) AS MATERIALIZED (SELECT ${text})`);
  return `(SELECT x FROM ${named})`;
}

/** A value of the record that many belong to: where depth counts, it is worked out beside them, and once. */
function outerSql({ writer, model, row, beside }: NonNullable<SqlWriter['outer']>, of: Expression): string {
  const text = sql(writer, of, model, row, beside);
  return writer.deepest === Infinity || depthOf(text) === 0 ? text : putBeside(writer.around, text, beside);
}

function bare(writer: SqlWriter, node: Expression, over: Model, row: string, beside: string[]): string {
  const { dialect, around } = writer;
  const of = (inner: Expression): string => sql(writer, inner, over, row, beside);
  if (isOfCalendar(node)) return calendarSql(dialect, node, of);
  switch (node.op) {
    case 'constant':
      return dialect.parameter(node.type, around.place({ kind: 'constant', value: node.value, type: node.type }));
    case 'now':
    case 'today':
    case 'me':
      return dialect.parameter(node.type, around.place({ kind: node.op, type: node.type }));
    case 'has-role':
      return dialect.parameter(node.type, around.place({ kind: 'role', role: node.role, type: node.type }));
    case 'field': {
      const column = columnValue(dialect, node.field, row);
      return node.inside.length === 0 ? column : dialect.inside(column, node.inside, node.type);
    }
    case 'at':
      return oneSql(writer, node, over, row);
    case 'outer':
      return outerSql(writer.outer!, node.of);
    case 'when':
      return `(CASE WHEN ${of(node.condition)} THEN ${of(node.of)} END)`;
    case 'open':
      return dialect.open(of(node.of), node.type);
    case 'convert':
      return dialect.convert(of(node.of), node.of.type, node.type, node.bounded ?? false);
    case '+':
    case '-':
    case '*':
    case '/':
    case '%':
    case 'div':
    case '^':
      return dialect.arithmetic(node.op, of(node.left), of(node.right), node.left.type.kind, node.type);
    case '=':
    case '<>':
    case '<':
    case '>':
    case '<=':
    case '>=':
      return `(${of(node.left)} ${node.op} ${of(node.right)})`;
    case 'between':
      return `(${of(node.of)} BETWEEN ${of(node.low)} AND ${of(node.high)})`;
    case 'in':
      return `(${of(node.of)} IN (${node.among.map(of).join(', ')}))`;
    case 'like':
      return dialect.like(of(node.of), node.pattern, (text) => around.place({ ...TEXT, value: text }));
    case 'is-null':
      return `(${of(node.of)} IS NULL)`;
    case 'not':
      return `(NOT ${of(node.of)})`;
    case 'and':
    case 'or':
      return `(${node.args.map(of).join(node.op === 'and' ? ' AND ' : ' OR ')})`;
    case 'coalesce':
      return node.args.length === 1 ? of(node.args[0]!) : `coalesce(${node.args.map(of).join(', ')})`;
    case 'casei':
    case 'accenti':
    case 'lower':
    case 'upper':
      return dialect.letters(node.op, of(node.of));
    case 'length':
      return dialect.length(of(node.of));
    case 'count':
      return `(${rowsOf(writer, node.many, () => 'count(*)', over, row, beside)})`;
    case 'exists':
      return `EXISTS (${rowsOf(writer, node.many, () => '1', over, row, beside)})`;
    case 'sum':
    case 'min':
    case 'max':
    case 'avg':
      return aggregateSql(writer, node, over, row, beside);
    case 'contains':
    case 'contained-by':
    case 'overlaps':
    case 'equals':
      return listsSql(listWriterAt(writer, over, row, beside), node);
  }
}

const listWriterAt = (writer: SqlWriter, over: Model, row: string, beside: string[]): ListWriter<SqlWriter> => ({
  dialect: writer.dialect,
  alias: () => writer.around.alias(),
  of: (inner) => sql(writer, inner, over, row, beside),
  ofEach: valueOver,
  rows: (many, shown, also) => rowsOf(writer, many, shown, over, row, beside, also),
});

const TEXT = { kind: 'constant', type: { kind: 'text', scale: 0 } } as const;

function aggregateSql(
  writer: SqlWriter,
  { op, type, many, value }: Node<Aggregate>,
  over: Model,
  row: string,
  beside: string[],
): string {
  const { dialect, around } = writer;
  if (dialect.isFlat !== true) {
    const rows = valuesOf(writer, many, value, over, row, beside);
    return `(SELECT ${dialect.aggregate(op, 'v', type)} FROM (${rows}) AS ${around.alias()})`;
  }
  const whole: Shown = (inner, target, inside) => dialect.aggregate(op, valueOver(inner, value, target, inside), type);
  return `(${rowsOf(writer, many, whole, over, row, beside)})`;
}

/** The nodes of some operators. */
type Node<Op extends Expression['op']> = Expression & { readonly op: Op };

function calendarSql(dialect: ExpressionDialect, node: CalendarNode, of: (inner: Expression) => string): string {
  if (node.op === 'add') return dialect.add(of(node.of), node.of.type.kind, node.duration);
  if ('of' in node) return dialect.part(node.op, of(node.of), node.of.type.kind);
  const [from, to] = [of(node.left), of(node.right)];
  if (node.op === 'seconds-between') return dialect.secondsBetween(from, to);
  return dialect.daysBetween(from, to, [node.left.type.kind, node.right.type.kind]);
}

/** A sub-select of a value of the one record that a step leads to. */
function oneSql(writer: SqlWriter, node: Expression & { readonly op: 'at' }, over: Model, row: string): string {
  const { around, name, models } = writer;
  const target = modelOf(models, node.target);
  const inside = around.alias();
  const value = valueOver(writer, node.of, target, inside);
  const joined = oneJoined(node.step, target, over, inside, row, writer.dialect);
  const guard = guarded(writer, node.guard, target, inside);
  return `(SELECT ${value} FROM ${name(target.table)} AS ${inside} WHERE ${joined}${guard})`;
}

/** A SELECT of a value of each of the related records, as `v`. */
function valuesOf(
  writer: SqlWriter,
  many: Many,
  value: Expression,
  over: Model,
  row: string,
  beside: string[],
): string {
  const shown: Shown = (inner, target, inside) => `${valueOver(inner, value, target, inside)} AS v`;
  return rowsOf(writer, many, shown, over, row, beside);
}

/** What is written of a related record, whose row is called `inside`. */
type Shown = OfEach<SqlWriter>;

/** How many levels a select of related records takes. */
const OF_SELECT = 3;

/** A SELECT from the related records. */
function rowsOf(
  writer: SqlWriter,
  many: Many,
  shown: Shown,
  over: Model,
  row: string,
  beside: string[],
  also: Shown = () => '',
): string {
  const { models, around, dialect } = writer;
  const { through, of, via, guard, where } = many;
  const target = modelOf(models, many.target);
  const inside = around.alias();
  const joined =
    through === undefined
      ? manyJoined(via, target, keyOf(writer, of, over, row, beside), inside, around.alias(), dialect)
      : manyAmong(via, target, valuesOf(writer, through, of, over, row, beside), inside, around.alias(), dialect);
  const inner = { ...writer, deepest: Math.max(LEAST_DEPTH, writer.deepest - OF_SELECT) };
  const some = guarded({ ...inner, outer: { writer, model: over, row, beside } }, where, target, inside);
  const rest = guarded(inner, guard, target, inside) + some + also(inner, target, inside);
  return `SELECT ${shown(inner, target, inside)} ${joined}${rest}`;
}

/** The key that records belong to: mostly that of the row itself. */
function keyOf(writer: SqlWriter, of: Expression, over: Model, row: string, beside: string[]): SqlKey {
  const isOwn = of.op === 'field' && of.inside.length === 0;
  return { sql: sql(writer, of, over, row, beside), of: isOwn ? { field: of.field, row } : undefined };
}

function guarded(writer: SqlWriter, guard: Expression | undefined, target: Model, row: string): string {
  return guard === undefined ? '' : ` AND ${valueOver(writer, guard, target, row)}`;
}

/** How deep parentheses are nested. */
function depthOf(text: string): number {
  let [depth, deepest] = [0, 0];
  for (const character of text) {
    if (character === '(') deepest = Math.max(deepest, (depth += 1));
    else if (character === ')') depth -= 1;
  }
  return deepest;
}
