import type {
  Aggregate,
  Arithmetic,
  Comparison,
  Expression,
  List,
  ListOperator,
  Many,
  PatternPart,
  ValueKind,
} from '../model/expression.ts';
import type { Links, Reverse, Step } from '../model/relation.ts';
import type { FieldValue } from '../model/scalar.ts';
import { formatDecimal, parseDecimal } from '../text/decimal.ts';
import type { Caller } from './context.ts';
import { letters } from './letters.ts';
import { inInteger, inUnits, ofIntegers, ofNumbers, ofUnits, rescaled, rounded } from './numbers.ts';

export type RecordValues = Readonly<Record<string, FieldValue | undefined>>;

/** The input of an expression that is evaluated in JavaScript. */
export interface EvaluationInput {
  readonly values: RecordValues;
  readonly now: Date;
  /** Null or left out for nobody. */
  readonly caller?: Caller | null | undefined;
  /**
   * The records at the other end of a step or a to-many relation; left out where the record's own values are enough.
   */
  related?(via: Step | Links, target: string, values: RecordValues): readonly RecordValues[];
}

/** An intermediate value: decimals are whole numbers of their smallest unit. */
type Inner = string | number | bigint | boolean | null | readonly FieldValue[] | Readonly<Record<string, FieldValue>>;

/** The value of an expression, in the form that JSON has it. Nulls follow SQL's three-valued logic. */
export function evaluate(expression: Expression, input: EvaluationInput): FieldValue {
  const value = inner(expression, input);
  return typeof value === 'bigint' ? formatDecimal({ digits: value, scale: expression.type.scale }) : value;
}

function inner(expression: Expression, around: EvaluationInput): Inner {
  switch (expression.op) {
    case 'constant':
      return kept(expression.value, expression.type);
    case 'now':
      return around.now.toISOString();
    case 'today':
      return around.now.toISOString().slice(0, 10);
    case 'me':
      return around.caller ? kept(around.caller.key, expression.type) : null;
    case 'has-role':
      return around.caller?.roles.includes(expression.role) ?? false;
    case 'field':
      return fieldOf(expression, around.values);
    case 'at':
      return atOther(expression, around);
    case 'when':
      return inner(expression.condition, around) === true ? inner(expression.of, around) : null;
    case 'convert':
      return convert(expression, inner(expression.of, around));
    case '+':
    case '-':
    case '*':
    case '/':
    case '%':
    case 'div':
    case '^':
      return calculated(expression, inner(expression.left, around), inner(expression.right, around));
    case '=':
    case '<>':
    case '<':
    case '>':
    case '<=':
    case '>=':
      return holds(expression.op, compare(inner(expression.left, around), inner(expression.right, around)));
    case 'between':
      return isBetween(expression, around);
    case 'in': {
      const of = inner(expression.of, around);
      return any(expression.among.map((item) => equal(of, inner(item, around))));
    }
    case 'like': {
      const of = inner(expression.of, around);
      return of === null ? null : isLike([...(of as string)], expression.pattern);
    }
    case 'is-null':
      return inner(expression.of, around) === null;
    case 'not': {
      const of = inner(expression.of, around);
      return of === null ? null : !(of as boolean);
    }
    case 'and':
      return all(expression.args.map((arg) => inner(arg, around) as boolean | null));
    case 'or':
      return any(expression.args.map((arg) => inner(arg, around) as boolean | null));
    case 'coalesce':
      return expression.args.map((arg) => inner(arg, around)).find((value) => value !== null) ?? null;
    case 'casei':
    case 'accenti':
    case 'lower':
    case 'upper': {
      const of = inner(expression.of, around);
      return of === null ? null : letters[expression.op](of as string);
    }
    case 'length':
      return lengthOf(inner(expression.of, around));
    case 'count':
      return recordsOf(expression.many, around).length;
    case 'sum':
    case 'min':
    case 'max':
    case 'avg':
      return aggregate(expression, around);
    case 'contains':
    case 'contained-by':
    case 'overlaps':
    case 'equals':
      return comparedLists(expression.op, itemsOf(expression.left, around), itemsOf(expression.right, around));
  }
}

/** In code points. */
const lengthOf = (text: Inner): number | null => (text === null ? null : [...(text as string)].length);

/** The nodes of some operators. */
type Node<Op extends Expression['op']> = Expression & { readonly op: Op };

/** The value of an expression over the record that a step leads to. */
function atOther(expression: Node<'at'>, around: EvaluationInput): Inner {
  const [values] = relatedTo(expression.step, expression.target, around).filter(guardedBy(expression.guard, around));
  return values === undefined ? null : inner(expression.of, { ...around, values });
}

function calculated({ op, left }: Node<Arithmetic>, a: Inner, b: Inner): Inner {
  if (a === null || b === null) return null;
  if (typeof a === 'bigint') {
    const units = ofUnits(op, a, b as bigint);
    return op === 'div' && units !== null ? inInteger(Number(units)) : units;
  }
  return (left.type.kind === 'integer' ? ofIntegers : ofNumbers)(op, a as number, b as number);
}

function convert({ of, type, bounded }: Node<'convert'>, value: Inner): Inner {
  const made = converted(value, of.type, type);
  return bounded === true && typeof made === 'bigint' ? inUnits(made) : made;
}

function isBetween({ of, low, high }: Node<'between'>, around: EvaluationInput): boolean | null {
  const value = inner(of, around);
  const [fromLow, fromHigh] = [compare(value, inner(low, around)), compare(value, inner(high, around))];
  return all([fromLow === null ? null : fromLow >= 0, fromHigh === null ? null : fromHigh <= 0]);
}

function aggregate({ op, many, value, type }: Node<Aggregate>, around: EvaluationInput): Inner {
  const each = recordsOf(many, around)
    .map((values) => inner(value, { ...around, values }))
    .filter((one) => one !== null);
  return each.length === 0 ? null : aggregated(op, each, type);
}

function comparedLists(
  op: ListOperator,
  left: ReadonlySet<Inner> | null,
  right: ReadonlySet<Inner> | null,
): boolean | null {
  if (left === null || right === null) return null;
  const within = (one: ReadonlySet<Inner>, other: ReadonlySet<Inner>): boolean =>
    [...one].every((item) => other.has(item));
  if (op === 'contains') return within(right, left);
  if (op === 'contained-by') return within(left, right);
  if (op === 'overlaps') return [...left].some((item) => right.has(item));
  return within(left, right) && within(right, left);
}

/** A stored value as an intermediate value. */
function kept(value: FieldValue | undefined, type: ValueKind): Inner {
  if (value === undefined || value === null) return null;
  return type.kind === 'decimal' ? rescaled(...unitsOf(value as string), type.scale) : value;
}

function unitsOf(text: string): [bigint, number] {
  const { digits, scale } = parseDecimal(text)!;
  return [digits, scale];
}

function fieldOf({ field, inside, type }: Expression & { op: 'field' }, values: RecordValues): Inner {
  let value: FieldValue | undefined = values[field.member];
  for (const name of inside) {
    value = typeof value === 'object' && value !== null ? (value as Record<string, FieldValue>)[name] : null;
  }
  return kept(value, type);
}

function relatedTo(via: Step | Links, target: string, around: EvaluationInput): readonly RecordValues[] {
  if (around.related === undefined) throw new Error('this expression needs records beside its own');
  return around.related(via, target, around.values);
}

const guardedBy =
  (guard: Expression | undefined, around: EvaluationInput) =>
  (values: RecordValues): boolean =>
    guard === undefined || inner(guard, { ...around, values }) === true;

/** The record that a to-many relation belongs to may itself be a few steps away. */
function recordsOf({ of, via, target, guard }: Many, around: EvaluationInput): readonly RecordValues[] {
  let at: RecordValues | undefined = around.values;
  let from = of;
  while (from.op === 'at' && at !== undefined) {
    at = relatedTo(from.step, from.target, { ...around, values: at }).find(guardedBy(from.guard, around));
    from = from.of;
  }
  if (at === undefined) return [];
  return relatedTo(via satisfies Links | Reverse, target, { ...around, values: at }).filter(guardedBy(guard, around));
}

function itemsOf(list: List, around: EvaluationInput): ReadonlySet<Inner> | null {
  switch (list.kind) {
    case 'constants':
      return new Set(list.values.map((value) => inner(value, around)).filter((value) => value !== null));
    case 'many': {
      const records = recordsOf(list.many, around);
      const each = records.map((values) => inner(list.value, { ...around, values }));
      return new Set(each.filter((value) => value !== null));
    }
    case 'array': {
      const value = inner(list.of, around);
      return value === null ? null : new Set((value as FieldValue[]).map((item) => kept(item, list.items)));
    }
  }
}

function converted(value: Inner, from: ValueKind, to: ValueKind): Inner {
  if (value === null) return null;
  if (to.kind === 'date-time') return `${value as string}T00:00:00.000Z`;
  if (from.kind === 'decimal') {
    if (to.kind === 'number') return Number(value) / 10 ** from.scale;
    const units = rescaled(value as bigint, from.scale, to.scale);
    return to.kind === 'integer' ? inInteger(Number(units)) : units;
  }
  if (to.kind === 'decimal') {
    if (from.kind === 'integer') return BigInt(value as number) * 10n ** BigInt(to.scale);
    const units = rounded((value as number) * 10 ** to.scale);
    return Math.abs(units) <= 999999999999999900 ? inUnits(BigInt(units)) : null;
  }
  return to.kind === 'integer' ? inInteger(rounded(value as number)) : value;
}

/** Below 0, 0 or above 0; null where a side is. */
function compare(one: Inner, other: Inner): number | null {
  if (one === null || other === null) return null;
  if (typeof one === 'string') return compareTexts(one, other as string);
  return one < other ? -1 : one > other ? 1 : 0;
}

/** By code point, where JavaScript's own comparison goes by code unit. */
export function compareTexts(one: string, other: string): number {
  const length = Math.min(one.length, other.length);
  for (let at = 0; at < length; at += 1) {
    const [a, b] = [one.charCodeAt(at), other.charCodeAt(at)];
    if (a === b) continue;
    // A surrogate stands for a code point above all that have none.
    const [high, low] = [isSurrogate(a), isSurrogate(b)];
    return high === low ? a - b : high ? 1 : -1;
  }
  return one.length - other.length;
}

const isSurrogate = (unit: number): boolean => unit >= 0xd800 && unit <= 0xdfff;

function holds(op: Comparison, order: number | null): boolean | null {
  if (order === null) return null;
  switch (op) {
    case '=':
      return order === 0;
    case '<>':
      return order !== 0;
    case '<':
      return order < 0;
    case '>':
      return order > 0;
    case '<=':
      return order <= 0;
    case '>=':
      return order >= 0;
  }
}

function equal(one: Inner, other: Inner): boolean | null {
  const order = compare(one, other);
  return order === null ? null : order === 0;
}

const all = (values: readonly (boolean | null)[]): boolean | null =>
  values.includes(false) ? false : values.includes(null) ? null : true;
const any = (values: readonly (boolean | null)[]): boolean | null =>
  values.includes(true) ? true : values.includes(null) ? null : false;

const ANY = Symbol('any text');
const ONE = Symbol('one character');

/** Backtracks to the last `%` only, so that no pattern takes long. */
function isLike(text: readonly string[], pattern: readonly PatternPart[]): boolean {
  const wanted = pattern.flatMap((part): (string | symbol)[] =>
    part === 'any' ? [ANY] : part === 'one' ? [ONE] : [...part.text],
  );
  let [at, next, star, from] = [0, 0, -1, 0];
  while (at < text.length) {
    const part = wanted[next];
    if (part === ANY) {
      [star, from] = [next, at];
      next += 1;
    } else if (part === ONE || part === text[at]) {
      at += 1;
      next += 1;
    } else if (star >= 0) {
      from += 1;
      [at, next] = [from, star + 1];
    } else return false;
  }
  return wanted.slice(next).every((part) => part === ANY);
}

function aggregated(op: 'sum' | 'min' | 'max' | 'avg', values: readonly NonNullable<Inner>[], type: ValueKind): Inner {
  if (op === 'min' || op === 'max') {
    return values.reduce((best, value) => (compare(value, best)! < 0 === (op === 'min') ? value : best));
  }
  if (type.kind === 'decimal') return inUnits((values as bigint[]).reduce((sum, value) => sum + value, 0n));
  if (type.kind === 'integer') {
    return inInteger(Number((values as number[]).reduce((sum, value) => sum + BigInt(value), 0n)));
  }
  const sum = (values as number[]).reduce((total, value) => total + value, 0);
  const result = op === 'avg' ? sum / values.length : sum;
  return Number.isFinite(result) ? result : null;
}
