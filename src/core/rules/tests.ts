import type { RuleParameters } from '../api/failure.ts';
import { USUAL_ITEMS, USUAL_LONGEST } from '../model/field.ts';
import type { ValueSpec } from '../model/field.ts';
import { hasFormat } from '../model/formats.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { isSame } from '../model/value.ts';
import { compareDecimals, decimalOfNumber, parseDecimal } from '../text/decimal.ts';
import { quoted } from '../text/value.ts';

/** One rule: whether a value keeps it, and what to say where it doesn't. */
export interface RuleTest {
  readonly rule: string;
  readonly holds: (value: NonNullable<FieldValue>) => boolean;
  /** Completes "must …". */
  readonly says: string;
  /** What the rule asks for, where that can be said in one value: 1, of `minimum`. */
  readonly limit?: RuleParameters[keyof RuleParameters];
  /** What to say of the value instead of showing it. */
  readonly got?: (value: NonNullable<FieldValue>) => string;
}

/** Characters that a text may have; undefined where nothing but the size of a body bounds them. */
export const longestOf = ({ rules }: Pick<ValueSpec, 'rules'>): number | undefined =>
  rules.maxLength ??
  rules.longest ??
  (rules.pattern === undefined && rules.format === undefined ? undefined : USUAL_LONGEST);

/** Every rule that a value of the right type can still break. */
export function testsOf(spec: ValueSpec): RuleTest[] {
  const rules = spec.rules;
  const tests: RuleTest[] = [];
  const add = (rule: string, says: string, holds: RuleTest['holds'], limit?: RuleTest['limit']): number =>
    tests.push({ rule, holds, says, limit });
  const order = orderOf(spec);

  const isText = ['string', 'text', 'secret'].includes(spec.type);
  if (rules.required && isText && rules.minLength === undefined) {
    add('required', 'must not be empty', (value) => value !== '');
  }
  const { minLength, minimum, maximum, exclusiveMinimum, exclusiveMaximum, multipleOf, format } = rules;
  if (minLength !== undefined && minLength > 0)
    add('minLength', `must have ${characters(minLength)} or more`, (value) => length(value) >= minLength, minLength);
  // What takes longer than the text is long is not even begun with a text that is too long anyway.
  const longest = longestOf(spec);
  if (longest !== undefined)
    add('maxLength', `must have ${characters(longest)} or fewer`, (value) => length(value) <= longest, longest);
  const isShort = (value: unknown): boolean => longest === undefined || (value as string).length <= 2 * longest;
  if (rules.pattern !== undefined) {
    const pattern = new RegExp(rules.pattern, 'u');
    const holds = (value: unknown): boolean => !isShort(value) || pattern.test(value as string);
    add('pattern', `must match ${rules.pattern}`, holds, rules.pattern);
  }
  if (format !== undefined) {
    const holds = (value: unknown): boolean => !isShort(value) || hasFormat(format, value as string);
    add('format', `must be a valid ${format}`, holds, format);
  }
  if (minimum !== undefined)
    add('minimum', `must be ${minimum} or more`, (value) => order(value, minimum) >= 0, minimum);
  if (maximum !== undefined)
    add('maximum', `must be ${maximum} or less`, (value) => order(value, maximum) <= 0, maximum);
  if (exclusiveMinimum !== undefined) {
    const holds = (value: NonNullable<FieldValue>): boolean => order(value, exclusiveMinimum) > 0;
    add('exclusiveMinimum', `must be more than ${exclusiveMinimum}`, holds, exclusiveMinimum);
  }
  if (exclusiveMaximum !== undefined) {
    const holds = (value: NonNullable<FieldValue>): boolean => order(value, exclusiveMaximum) < 0;
    add('exclusiveMaximum', `must be less than ${exclusiveMaximum}`, holds, exclusiveMaximum);
  }
  if (multipleOf !== undefined)
    add('multipleOf', `must be a multiple of ${multipleOf}`, (value) => isMultiple(value, multipleOf), multipleOf);
  tests.push(...listTests(rules));
  const allowed = rules.enum;
  if (allowed !== undefined)
    add('enum', `must be one of ${allowed.join(', ')}`, (value) => allowed.includes(value as Scalar), allowed);
  if (rules.const !== undefined)
    add('const', `must be ${quoted(rules.const)}`, (value) => isSame(value, rules.const), rules.const);
  return tests;
}

/** The rules of lists. */
function listTests({ minItems, maxItems, uniqueItems }: ValueSpec['rules']): RuleTest[] {
  const tests: RuleTest[] = [];
  const lengthOf = (value: NonNullable<FieldValue>): number => (value as unknown[]).length;
  if (minItems !== undefined)
    tests.push({
      rule: 'minItems',
      says: `must have ${items(minItems)} or more`,
      holds: (value) => lengthOf(value) >= minItems,
      limit: minItems,
    });
  if (maxItems !== undefined)
    tests.push({
      rule: 'maxItems',
      says: `must have ${items(maxItems)} or fewer`,
      holds: (value) => lengthOf(value) <= maxItems,
      limit: maxItems,
    });
  if (uniqueItems) {
    const isLong = (value: NonNullable<FieldValue>): boolean => lengthOf(value) > Math.max(USUAL_ITEMS, maxItems ?? 0);
    tests.push({
      rule: 'uniqueItems',
      says: 'must not have the same item twice',
      holds: (value) => isLong(value) || repeated(value) === undefined,
      got: (value) => `got ${quoted(repeated(value))} twice`,
    });
  }
  return tests;
}

const characters = (count: number): string => `${count} ${count === 1 ? 'character' : 'characters'}`;

const items = (count: number): string => `${count} ${count === 1 ? 'item' : 'items'}`;

/** The first item of a list that is there before; undefined where each is there once. */
function repeated(value: NonNullable<FieldValue>): FieldValue | undefined {
  const seen = new Set<string>();
  for (const item of value as FieldValue[]) {
    const text = JSON.stringify(item);
    if (seen.has(text)) return item;
    seen.add(text);
  }
  return undefined;
}

/** Lengths count code points, as JSON Schema does. */
function length(value: NonNullable<FieldValue>): number {
  let points = 0;
  for (const _point of value as string) points += 1;
  return points;
}

function orderOf(spec: ValueSpec): (value: NonNullable<FieldValue>, bound: number) => number {
  if (spec.type !== 'decimal') return (value, bound) => (value as number) - bound;
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
