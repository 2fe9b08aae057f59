import type { Expression, List, Many, ValueKind } from '../model/expression.ts';
import { modelOf } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import type { ExpressionDialect } from '../sql/expression-dialect.ts';
import { manyJoined, oneJoined } from './joins.ts';

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
  if (deepest === Infinity || depthOf(text) <= deepest) return text;
  const named = around.alias();
  beside.push(`${named}(x) AS MATERIALIZED (SELECT ${text})`);
  return `(SELECT x FROM ${named})`;
}

function bare(writer: SqlWriter, node: Expression, over: Model, row: string, beside: string[]): string {
  const { dialect, around, name } = writer;
  const of = (inner: Expression): string => sql(writer, inner, over, row, beside);
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
      const column = `${row}.${name(node.field.column)}`;
      return node.inside.length === 0 ? column : dialect.inside(column, node.inside, node.type);
    }
    case 'at':
      return oneSql(writer, node, over, row);
    case 'when':
      return `(CASE WHEN ${of(node.condition)} THEN ${of(node.of)} END)`;
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
      return dialect.like(of(node.of), node.pattern, (text) =>
        around.place({ kind: 'constant', value: text, type: { kind: 'text', scale: 0 } }),
      );
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
      return `(SELECT count(*) FROM (${rowsOf(writer, node.many, undefined, over, row, beside)}) AS ${around.alias()})`;
    case 'sum':
    case 'min':
    case 'max':
    case 'avg': {
      const rows = rowsOf(writer, node.many, node.value, over, row, beside);
      return `(SELECT ${dialect.aggregate(node.op, 'v', node.type)} FROM (${rows}) AS ${around.alias()})`;
    }
    case 'contains':
    case 'contained-by':
    case 'overlaps':
    case 'equals':
      return listsSql(writer, node, over, row, beside);
  }
}

/** A sub-select of a value of the one record that a step leads to. */
function oneSql(writer: SqlWriter, node: Expression & { readonly op: 'at' }, over: Model, row: string): string {
  const { around, name, models } = writer;
  const target = modelOf(models, node.target);
  const inside = around.alias();
  const value = valueOver(writer, node.of, target, inside);
  const joined = oneJoined(node.step, target, over, inside, row, name);
  const guard = guarded(writer, node.guard, target, inside);
  return `(SELECT ${value} FROM ${name(target.table)} AS ${inside} WHERE ${joined}${guard})`;
}

/** A SELECT of the related records, with the value as `v`. */
function rowsOf(
  writer: SqlWriter,
  many: Many,
  value: Expression | undefined,
  over: Model,
  row: string,
  beside: string[],
): string {
  const { models, around, name } = writer;
  const target = modelOf(models, many.target);
  const inside = around.alias();
  const shown = value === undefined ? '1' : valueOver(writer, value, target, inside);
  const key = sql(writer, many.of, over, row, beside);
  const joined = manyJoined(many.via, target, key, inside, around.alias(), name);
  return `SELECT ${shown} AS v ${joined}${guarded(writer, many.guard, target, inside)}`;
}

function guarded(writer: SqlWriter, guard: Expression | undefined, target: Model, row: string): string {
  return guard === undefined ? '' : ` AND ${valueOver(writer, guard, target, row)}`;
}

function listsSql(
  writer: SqlWriter,
  node: Expression & { op: 'contains' | 'contained-by' | 'overlaps' | 'equals' },
  over: Model,
  row: string,
  beside: string[],
): string {
  const { around } = writer;
  const rows = (list: List): string =>
    `SELECT v FROM (${itemsSql(writer, list, over, row, beside)}) AS ${around.alias()} WHERE v IS NOT NULL`;
  const without = (one: List, other: List): string => `(NOT EXISTS (${rows(one)} EXCEPT ${rows(other)}))`;
  const { left, right } = node;
  const test = (): string => {
    if (node.op === 'contains') return without(right, left);
    if (node.op === 'contained-by') return without(left, right);
    if (node.op === 'overlaps') return `(EXISTS (${rows(left)} INTERSECT ${rows(right)}))`;
    return `(${without(left, right)} AND ${without(right, left)})`;
  };
  const arrays = [left, right].filter((list) => list.kind === 'array');
  if (arrays.length === 0) return test();
  const there = arrays.map((list) => `${sql(writer, list.of, over, row, beside)} IS NOT NULL`).join(' AND ');
  return `(CASE WHEN ${there} THEN ${test()} END)`;
}

function itemsSql(writer: SqlWriter, list: List, over: Model, row: string, beside: string[]): string {
  const { dialect } = writer;
  switch (list.kind) {
    case 'array':
      return dialect.items(sql(writer, list.of, over, row, beside), list.items);
    case 'many':
      return rowsOf(writer, list.many, list.value, over, row, beside);
    case 'constants': {
      if (list.values.length === 0) return 'SELECT NULL AS v';
      return list.values.map((value) => `SELECT ${sql(writer, value, over, row, beside)} AS v`).join(' UNION ALL ');
    }
  }
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
