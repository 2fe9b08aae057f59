import type { EvaluationContext } from '../expression/context.ts';
import { evaluate } from '../expression/evaluate.ts';
import type { Expression } from '../model/expression.ts';
import type { Field } from '../model/field.ts';
import type { Draw, Model } from '../model/model.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { decimalOfNumber, formatDecimal, parseDecimal, rescale } from '../text/decimal.ts';
import type { Row } from './records.ts';

/** What a record takes of a stock, in the smallest unit of its field. */
export interface Share {
  readonly key: Scalar;
  readonly amount: bigint;
  /** No record can take this. */
  readonly isWrong: boolean;
}

/** The member with the amount, or the relation where it is more than one. */
export function amountMember({ amount, relation }: Draw): string {
  const inner = amount.op === 'convert' ? amount.of : amount;
  return inner.op === 'field' && inner.inside.length === 0 ? inner.field.member : relation.field.member;
}

export function shareOf(model: Model, draw: Draw, row: Row, evaluation: EvaluationContext): Share {
  const key = (row[draw.relation.field.member] ?? null) as Scalar;
  const isOn = draw.while === undefined || evaluate(draw.while, { values: row, ...evaluation }) === true;
  if (key === null || !isOn) return { key, amount: 0n, isWrong: false };
  const amount = evaluate(draw.amount, { values: row, ...evaluation }) as Scalar;
  if (amount === null) return { key, amount: 0n, isWrong: !hasNull(draw.amount, row) };
  const units = unitsOf(amount, draw.field);
  const isOwn = draw.from === model.name && units > 0n && key === row[model.key.member];
  return { key, amount: units, isWrong: units < 0n || isOwn };
}

/** Whether an amount is null because a value that it is made of is. */
function hasNull(amount: Expression, row: Row): boolean {
  if ('left' in amount && 'op' in amount.left && 'op' in amount.right)
    return hasNull(amount.left, row) || hasNull(amount.right, row);
  if (amount.op === 'convert') return hasNull(amount.of, row);
  if (amount.op === 'coalesce') return amount.args.every((one) => hasNull(one, row));
  return evaluate(amount, { values: row, now: new Date(0), caller: null }) === null;
}

export function unitsOf(value: Scalar, { scale }: Pick<Field, 'scale'>): bigint {
  const exact = parseDecimal(String(value));
  const scaled = exact && rescale(exact, scale);
  if (scaled === undefined) throw new RangeError(`${String(value)} is no number of ${scale} digits after the point`);
  return scaled.digits;
}

export const valueOfUnits = (digits: bigint, { type, scale }: Pick<Field, 'type' | 'scale'>): FieldValue =>
  type === 'decimal' ? formatDecimal({ digits, scale }) : Number(digits);

/** The least that may be left: the minimum of the field, or zero. */
export function lowestOf(field: Field): bigint {
  const { minimum, exclusiveMinimum } = field.rules;
  const bounds = [
    ...(minimum === undefined ? [] : [unitsUp(minimum, field)]),
    ...(exclusiveMinimum === undefined ? [] : [unitsDown(exclusiveMinimum, field) + 1n]),
  ];
  return bounds.length === 0 ? 0n : bounds.reduce((one, other) => (one > other ? one : other));
}

function unitsDown(bound: number, { scale }: Field): bigint {
  const { digits, scale: own } = decimalOfNumber(bound);
  if (own <= scale) return digits * 10n ** BigInt(scale - own);
  const unit = 10n ** BigInt(own - scale);
  const whole = digits / unit;
  return digits < 0n && digits % unit !== 0n ? whole - 1n : whole;
}

const unitsUp = (bound: number, field: Field): bigint => -unitsDown(-bound, field);
