import { pointerTo } from '../api/failure.ts';
import type { Failure } from '../api/failure.ts';
import type { EvaluationContext } from '../expression/context.ts';
import { evaluate } from '../expression/evaluate.ts';
import type { Expression } from '../model/expression.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import type { Draw, Model } from '../model/model.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { recordJson } from '../query/statements.ts';
import type { Values } from '../rules/schema.ts';
import type { Dialect } from '../sql/dialect.ts';
import type { Statement, StoreValue } from '../sql/statement.ts';
import { columnValue, fieldIs, kept } from '../sql/stored.ts';
import { decimalOfNumber, formatDecimal, parseDecimal, rescale } from '../text/decimal.ts';
import { allOf } from './ahead.ts';
import type { UnitOfWork } from './unit-of-work.ts';

/** What a record takes of one stock: nothing if its relation is null, or its condition is not true. */
export interface Share {
  readonly key: Scalar;
  /** In the smallest unit of the stock's field. */
  readonly amount: bigint;
  /** Why the share is not allowed: the amount is impossible, or the stock is the record's own. */
  readonly fault?: string | undefined;
}

/** Not enough is left. */
export class Shortage extends Error {
  readonly draw: Draw;
  readonly available: string;

  constructor(draw: Draw, available: string) {
    super(`${available} left`);
    this.draw = draw;
    this.available = available;
  }
}

/** What the records of a model take from others. */
export interface Draws {
  readonly draws: readonly Draw[];
  /** What a record draws, in the order of `draws`. */
  sharesOf(values: Values, evaluation: EvaluationContext): Share[];
  /** Shares that no record can have. */
  failuresOf(shares: readonly Share[]): Failure[];
  /** Moves the stock from what a record drew to what it draws; throws `Shortage`. */
  move(work: UnitOfWork, before: readonly Share[], after: readonly Share[]): Promise<void>;
}

/** The member that a failure of a draw points at. */
export const pointerOfDraw = (draw: Draw): string => pointerTo((amountField(draw) ?? draw.relation.field).member);

/** The field with the amount, if the amount is a single field. */
export function amountField({ amount }: Draw): Field | undefined {
  const inner = amount.op === 'convert' ? amount.of : amount;
  return inner.op === 'field' && inner.inside.length === 0 ? inner.field : undefined;
}

export function drawsOf(graph: Graph, model: Model, dialect: Dialect): Draws {
  const { draws } = model;
  const stocks = draws.map((draw) => stockOf(graph, draw, dialect));

  return {
    draws,
    sharesOf: (values, evaluation) => draws.map((draw) => shareOf(model, draw, values, evaluation)),
    failuresOf: (shares) =>
      shares.flatMap(({ fault }, at) =>
        fault === undefined ? [] : [{ pointer: pointerOfDraw(draws[at]!), rule: 'draw', detail: fault }],
      ),
    async move(work, before, after) {
      const moves = draws.flatMap((draw, at) => movesOf(stocks[at]!, draw, before[at], after[at]!));
      // Always in the same order, so that writers rarely deadlock.
      moves.sort((one, other) => (orderOf(one) < orderOf(other) ? -1 : 1));
      await allOf(moves.map((move) => move.stock.move(work, move)));
    },
  };
}

/** An amount taken from the stock of one record; negative amounts are given back. */
interface Move {
  readonly stock: Stock;
  readonly draw: Draw;
  readonly key: Scalar;
  readonly amount: bigint;
}

const orderOf = ({ draw, key }: Move): string => `${draw.from}/${String(key)}`;

function movesOf(stock: Stock, draw: Draw, before: Share | undefined, after: Share): Move[] {
  if (before?.key !== after.key) {
    return [
      { stock, draw, key: before?.key ?? null, amount: -(before?.amount ?? 0n) },
      { stock, draw, ...after },
    ].filter(({ key, amount }) => key !== null && amount !== 0n);
  }
  const amount = after.amount - (before?.amount ?? 0n);
  return after.key === null || amount === 0n ? [] : [{ stock, draw, key: after.key, amount }];
}

function shareOf(model: Model, draw: Draw, values: Values, evaluation: EvaluationContext): Share {
  const { relation, amount, while: condition, field } = draw;
  const key = (values[relation.field.member] ?? null) as Scalar;
  if (key === null || (condition !== undefined && evaluate(condition, { values, ...evaluation }) !== true)) {
    return { key, amount: 0n };
  }
  const value = evaluate(amount, { values, ...evaluation }) as Scalar;
  if (value === null) {
    // A null amount draws nothing; an amount too large for its type is a failure, not null.
    const fault = isNullByNulls(amount, values) ? undefined : 'can not be worked out: the amount is too large';
    return { key, amount: 0n, fault };
  }
  const units = unitsOf(value, field);
  return { key, amount: units, fault: faultOf(model, draw, key, units, values) };
}

function faultOf(model: Model, draw: Draw, key: Scalar, amount: bigint, values: Values): string | undefined {
  if (amount < 0n) return `would take ${textOf(amount, draw.field)}; nothing can take less than 0`;
  const isItself = draw.from === model.name && amount > 0n && key === values[model.key.member];
  return isItself ? 'would take from the record itself' : undefined;
}

/** Whether an amount is null because values of its record are, and for no other reason. */
function isNullByNulls(amount: Expression, values: Values): boolean {
  const isNull = (one: Expression): boolean => isNullByNulls(one, values);
  switch (amount.op) {
    case '+':
    case '-':
    case '*':
    case '/':
    case '%':
    case 'div':
    case '^':
      return isNull(amount.left) || isNull(amount.right);
    case 'convert':
      return isNull(amount.of);
    case 'coalesce':
      return amount.args.every(isNull);
    default:
      return evaluate(amount, { values, now: new Date(0), caller: null }) === null;
  }
}

/** A value of a field in its smallest unit. */
export const unitsOf = (value: Scalar, { scale }: Pick<Field, 'scale'>): bigint => {
  const exact = parseDecimal(String(value));
  const rescaled = exact && rescale(exact, scale);
  if (rescaled === undefined) throw new RangeError(`${String(value)} is no number of ${scale} digits after the point`);
  return rescaled.digits;
};

const textOf = (digits: bigint, { scale }: Field): string => formatDecimal({ digits, scale });

const valueOf = (digits: bigint, field: Field): FieldValue =>
  field.type === 'decimal' ? textOf(digits, field) : Number(digits);

/** The field of a model that is drawn on. */
interface Stock {
  move(work: UnitOfWork, move: Move): Promise<void>;
}

function stockOf(graph: Graph, { from, field }: Draw, dialect: Dialect): Stock {
  const model = modelOf(graph, from);
  const statements = stockStatements(model, field, dialect);
  const lowest = lowestOf(field);
  const { updated } = model.stamps;
  const bindUnits = (digits: bigint): StoreValue => dialect.bind(field, valueOf(digits, field));

  return {
    async move(work, { draw, key, amount }) {
      const stamp = updated === undefined ? [] : [dialect.bind(updated, work.now().toISOString())];
      const bound = [dialect.bind(model.key, key), bindUnits(amount < 0n ? -amount : amount)];
      const row =
        amount < 0n
          ? await work.transaction.first(statements.give, [...bound, ...stamp])
          : await work.transaction.first(statements.take, [...bound, bindUnits(lowest), ...stamp]);
      if (row === undefined) {
        // Nothing has to be given back to a deleted record.
        if (amount < 0n) return;
        const standing = await work.transaction.first(statements.read, [dialect.bind(model.key, key)]);
        const left = standing === undefined ? lowest : unitsIn(standing[0], field, lowest);
        throw new Shortage(draw, textOf(left - lowest, field));
      }
      if (!model.journal) return;
      const after = unitsIn(row[0], field, 0n);
      const change = { before: valueOf(after + amount, field), after: valueOf(after, field) };
      const changes = { [field.member]: change };
      work.entries.push({ model: model.name, key, at: work.now(), action: 'update', changes });
    },
  };
}

/** The value of a field in a JSON text of it; `otherwise` where that is null. */
function unitsIn(json: unknown, field: Field, otherwise: bigint): bigint {
  const value = (JSON.parse(String(json)) as Values)[field.member] as Scalar;
  return value === null ? otherwise : unitsOf(value, field);
}

/** Taking is one statement that changes nothing if too little is left, however many run at once. */
function stockStatements(
  model: Model,
  field: Field,
  dialect: Dialect,
): Readonly<Record<'take' | 'give' | 'read', Statement>> {
  const { name, placeholder } = dialect;
  const [table, column] = [name(model.table), name(field.column)];
  const stock = columnValue(dialect, field);
  const json = recordJson(model, [field], dialect);
  const { updated } = model.stamps;
  const stampAt = (position: number): string =>
    updated === undefined ? '' : `, ${name(updated.column)} = ${kept(dialect, updated, placeholder(position))}`;
  const where = fieldIs(dialect, model.key, placeholder(1));
  const [amount, lowest] = [2, 3].map((position) => dialect.typed(field, placeholder(position)));
  const enough = `${stock} - ${amount} >= ${lowest}`;
  const changed = (value: string, stamp: string, condition: string): Statement =>
    dialect.returning({
      table,
      change: `UPDATE ${table} SET ${column} = ${kept(dialect, field, value)}${stamp} WHERE ${where}${condition}`,
      returned: json,
      where,
    });
  return {
    take: changed(`${stock} - ${amount}`, stampAt(4), ` AND ${enough}`),
    give: changed(`${stock} + ${amount}`, stampAt(3), ''),
    read: { sql: `SELECT ${json} FROM ${table} WHERE ${where}` },
  };
}

/** The least value of a stock: its minimum, or zero. */
function lowestOf(field: Field): bigint {
  const { minimum, exclusiveMinimum } = field.rules;
  const bounds = [
    ...(minimum === undefined ? [] : [ceiling(minimum, field)]),
    ...(exclusiveMinimum === undefined ? [] : [floor(exclusiveMinimum, field) + 1n]),
  ];
  return bounds.length === 0 ? 0n : bounds.reduce((one, other) => (one > other ? one : other));
}

function floor(bound: number, { scale }: Field): bigint {
  const { digits, scale: own } = decimalOfNumber(bound);
  if (own <= scale) return digits * 10n ** BigInt(scale - own);
  const unit = 10n ** BigInt(own - scale);
  return digits / unit - (digits < 0n && digits % unit !== 0n ? 1n : 0n);
}

const ceiling = (bound: number, field: Field): bigint => -floor(-bound, field);
