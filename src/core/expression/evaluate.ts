import { isOfCalendar } from '../model/expression.ts';
import type {
  Aggregate,
  Arithmetic,
  CalendarNode,
  Expression,
  List,
  ListOperator,
  Many,
  PatternPart,
  TextFunction,
  ValueKind,
} from '../model/expression.ts';
import type { Links, Reverse, Step } from '../model/relation.ts';
import type { FieldValue } from '../model/scalar.ts';
import { formatDecimal, parseDecimal } from '../text/decimal.ts';
import { own } from '../text/own.ts';
import { isRecord } from '../text/value.ts';
import { addedTo, daysBetween, millisecondsBetween, partOf } from './calendar.ts';
import { all, any, compare, equal, holds, negated } from './compare.ts';
import type { Inner } from './compare.ts';
import type { Caller } from './context.ts';
import { letters } from './letters.ts';
import { isLike } from './like.ts';
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
  /** In a condition over each of many: the record that they belong to. */
  readonly outer?: EvaluationInput;
}

/** The value of an expression, in the form that JSON has it. Nulls follow SQL's three-valued logic. */
export function evaluate(expression: Expression, input: EvaluationInput): FieldValue {
  const value = inner(expression, input);
  return typeof value === 'bigint' ? formatDecimal({ digits: value, scale: expression.type.scale }) : value;
}

function inner(expression: Expression, around: EvaluationInput): Inner {
  if (isOfCalendar(expression)) return calendarValue(expression, around);
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
    case 'outer':
      return inner(expression.of, around.outer!);
    case 'when':
      return inner(expression.condition, around) === true ? inner(expression.of, around) : null;
    case 'open':
      return opened(inner(expression.of, around), expression.type);
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
    case 'in':
      return isAmong(expression, around);
    case 'like':
      return likeValue(inner(expression.of, around), expression.pattern);
    case 'is-null':
      return inner(expression.of, around) === null;
    case 'not':
      return negated(inner(expression.of, around) as boolean | null);
    case 'and':
      return all(expression.args.map((arg) => inner(arg, around) as boolean | null));
    case 'or':
      return any(expression.args.map((arg) => inner(arg, around) as boolean | null));
    case 'coalesce':
      return expression.args.map((arg) => inner(arg, around)).find((value) => value !== null) ?? null;
    case 'casei':
    case 'accenti':
    case 'lower':
    case 'upper':
      return changed(expression.op, inner(expression.of, around));
    case 'length':
      return lengthOf(inner(expression.of, around));
    case 'count':
    case 'exists': {
      const found = recordsOf(expression.many, around).length;
      return expression.op === 'count' ? found : found > 0;
    }
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

function isAmong({ of, among }: Node<'in'>, around: EvaluationInput): boolean | null {
  const value = inner(of, around);
  return any(among.map((item) => equal(value, inner(item, around))));
}

const likeValue = (of: Inner, pattern: readonly PatternPart[]): boolean | null =>
  of === null ? null : isLike([...(of as string)], pattern);

const changed = (op: TextFunction, text: Inner): Inner => (text === null ? null : letters[op](text as string));

/** In code points. */
const lengthOf = (text: Inner): number | null => (text === null ? null : [...(text as string)].length);

function calendarValue(node: CalendarNode, around: EvaluationInput): Inner {
  if ('left' in node) {
    const [from, to] = [inner(node.left, around), inner(node.right, around)];
    if (from === null || to === null) return null;
    return (node.op === 'days-between' ? daysBetween : millisecondsBetween)(from as string, to as string);
  }
  const of = inner(node.of, around);
  if (of === null) return null;
  return node.op === 'add' ? addedTo(of as string, node.duration) : partOf(node.op, of as string);
}

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
  for (const name of inside) value = isRecord(value) ? own(value, name) : null;
  return kept(value, type);
}

const JSON_TYPES: Readonly<Record<string, string>> = { text: 'string', number: 'number', boolean: 'boolean' };

/** What stands in JSON, where it is of a kind. */
const opened = (value: Inner, { kind }: ValueKind): Inner => (typeof value === own(JSON_TYPES, kind) ? value : null);

function relatedTo(via: Step | Links, target: string, around: EvaluationInput): readonly RecordValues[] {
  if (around.related === undefined) throw new Error('this expression needs records beside its own');
  return around.related(via, target, around.values);
}

const guardedBy =
  (guard: Expression | undefined, around: EvaluationInput) =>
  (values: RecordValues): boolean =>
    guard === undefined || inner(guard, { ...around, values }) === true;

function recordsOf(many: Many, around: EvaluationInput): readonly RecordValues[] {
  const { of, through, key, guard, where } = many;
  const behind = (input: EvaluationInput): readonly RecordValues[] => recordsBehind(of, many, input);
  const all =
    through === undefined
      ? behind(around)
      : onceEach(
          recordsOf(through, around).flatMap((values) => behind({ ...around, values })),
          key.member,
        );
  return all.filter(guardedBy(guard, around)).filter(guardedBy(where, { ...around, outer: around }));
}

const onceEach = (records: readonly RecordValues[], key: string): RecordValues[] => [
  ...new Map(records.map((record) => [record[key], record])).values(),
];

/** The record that a relation to many belongs to may itself be a few steps away. */
function recordsBehind(of: Expression, many: Many, around: EvaluationInput): readonly RecordValues[] {
  switch (of.op) {
    case 'at':
      return relatedTo(of.step, of.target, around)
        .filter(guardedBy(of.guard, around))
        .flatMap((values) => recordsBehind(of.of, many, { ...around, values }));
    case 'outer':
      return recordsBehind(of.of, many, around.outer!);
    case 'when':
      return inner(of.condition, around) === true ? recordsBehind(of.of, many, around) : [];
    default:
      return relatedTo(many.via satisfies Links | Reverse, many.target, around);
  }
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
