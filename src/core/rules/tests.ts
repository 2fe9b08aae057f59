import { compareDecimals, decimalOfNumber, parseDecimal } from '../model/decimal.ts';
import type { Field, FieldValue } from '../model/graph.ts';
import { quoted } from '../model/value.ts';

/** One rule of one field: whether a value keeps it, and what to say where it doesn't. */
export interface RuleTest {
  readonly rule: string;
  readonly holds: (value: NonNullable<FieldValue>) => boolean;
  /** Completes "must …". */
  readonly says: string;
}

/** Every rule of a field that a value of the right type can still break. */
export function testsOf(field: Field): RuleTest[] {
  const rules = field.rules;
  const tests: RuleTest[] = [];
  const add = (rule: string, says: string, holds: RuleTest['holds']): number => tests.push({ rule, holds, says });
  const order = orderOf(field);

  const isText = field.type === 'string' || field.type === 'text';
  if (rules.required && isText && (rules.minLength ?? 0) === 0) {
    add('required', 'must not be empty', (value) => value !== '');
  }
  const { minLength, maxLength, minimum, maximum, exclusiveMinimum, exclusiveMaximum, multipleOf } = rules;
  if (minLength !== undefined) {
    add('minLength', `must have ${characters(minLength)} or more`, (value) => length(value) >= minLength);
  }
  if (maxLength !== undefined) {
    add('maxLength', `must have ${characters(maxLength)} or fewer`, (value) => length(value) <= maxLength);
  }
  if (rules.pattern !== undefined) {
    const pattern = new RegExp(rules.pattern, 'u');
    add('pattern', `must match ${rules.pattern}`, (value) => pattern.test(value as string));
  }
  if (minimum !== undefined) add('minimum', `must be ${minimum} or more`, (value) => order(value, minimum) >= 0);
  if (maximum !== undefined) add('maximum', `must be ${maximum} or less`, (value) => order(value, maximum) <= 0);
  if (exclusiveMinimum !== undefined) {
    add('exclusiveMinimum', `must be more than ${exclusiveMinimum}`, (value) => order(value, exclusiveMinimum) > 0);
  }
  if (exclusiveMaximum !== undefined) {
    add('exclusiveMaximum', `must be less than ${exclusiveMaximum}`, (value) => order(value, exclusiveMaximum) < 0);
  }
  if (multipleOf !== undefined) {
    add('multipleOf', `must be a multiple of ${multipleOf}`, (value) => isMultiple(value, multipleOf));
  }
  if (rules.enum !== undefined) {
    const allowed = rules.enum;
    add('enum', `must be one of ${allowed.join(', ')}`, (value) => allowed.includes(value));
  }
  if (rules.const !== undefined) {
    add('const', `must be ${quoted(rules.const)}`, (value) => value === rules.const);
  }
  return tests;
}

const characters = (count: number): string => `${count} ${count === 1 ? 'character' : 'characters'}`;

/** Lengths count code points, as JSON Schema does. */
function length(value: NonNullable<FieldValue>): number {
  let points = 0;
  for (const _point of value as string) points += 1;
  return points;
}

function orderOf(field: Field): (value: NonNullable<FieldValue>, bound: number) => number {
  if (field.type !== 'decimal') return (value, bound) => (value as number) - bound;
  return (value, bound) => compareDecimals(parseDecimal(value as string)!, decimalOfNumber(bound));
}

/** Exact, where the remainder of two doubles would not be: 0.3 is a multiple of 0.1. */
function isMultiple(value: NonNullable<FieldValue>, of: number): boolean {
  const [one, other] = [
    typeof value === 'string' ? parseDecimal(value)! : decimalOfNumber(value as number),
    decimalOfNumber(of),
  ];
  const scale = Math.max(one.scale, other.scale);
  const at = (decimal: typeof one): bigint => decimal.digits * 10n ** BigInt(scale - decimal.scale);
  return at(one) % at(other) === 0n;
}
