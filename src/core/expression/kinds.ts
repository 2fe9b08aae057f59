import { constant, plain } from '../model/expression.ts';
import type { Expression, Kind, ValueKind } from '../model/expression.ts';
import { noRules } from '../model/field.ts';
import type { ValueSpec } from '../model/field.ts';
import { canonical } from '../model/value.ts';
import { formatDecimal, parseDecimal, rescale } from '../text/decimal.ts';
import { ExpressionError } from './syntax.ts';
import type { Spot, Syntax } from './syntax.ts';

const names: Readonly<Record<Kind, string>> = {
  text: 'text',
  uuid: 'a UUID',
  integer: 'an integer',
  decimal: 'a decimal',
  number: 'a number',
  boolean: 'a condition',
  date: 'a date',
  time: 'a time of day',
  'date-time': 'a date and time',
  array: 'a list',
  json: 'a JSON value',
};

export const describeKind = ({ kind }: ValueKind): string => names[kind];

const MOST_DIGITS = 10n ** 18n;

type Literal = Syntax & { kind: 'text' | 'number' | 'boolean' | 'date' | 'timestamp' };

/** A literal. A number without exponent is exact: an integer, or a decimal with as many digits as were written. */
export function constantOf(syntax: Literal): Expression {
  switch (syntax.kind) {
    case 'text':
      if (syntax.value.includes('\0') || !syntax.value.isWellFormed()) {
        throw new ExpressionError(
          'wrong-type',
          'this text holds a character that no text can',
          'leave it out',
          syntax.spot,
        );
      }
      return constant(syntax.value, plain('text'));
    case 'boolean':
      return constant(syntax.value, plain('boolean'));
    case 'number':
      return numberOf(syntax.written, syntax.spot);
    case 'date':
    case 'timestamp':
      return readAs(syntax.value, syntax.kind === 'date' ? 'date' : 'date-time', syntax.spot);
  }
}

function numberOf(written: string, spot: Spot): Expression {
  const whole = written.startsWith('.') ? `0${written}` : written.replace(/^-\./, '-0.');
  const decimal = parseDecimal(whole);
  if (decimal !== undefined && decimal.scale > 0 && decimal.digits < MOST_DIGITS && -decimal.digits < MOST_DIGITS) {
    return constant(formatDecimal(decimal), plain('decimal', decimal.scale));
  }
  const value = Number(whole);
  if (!Number.isFinite(value)) {
    throw new ExpressionError('wrong-type', 'this number is too large', 'write a smaller one', spot);
  }
  if (decimal === undefined || decimal.scale > 0) return constant(value, plain('number'));
  if (Number.isSafeInteger(value)) return constant(value + 0, plain('integer'));
  throw new ExpressionError('wrong-type', 'integers lie within ±9007199254740991', 'write a smaller one', spot);
}

/** The kinds that a text in single quotes beside them is read as. */
const READ_FROM_TEXT: readonly Kind[] = ['date', 'time', 'date-time', 'uuid', 'decimal'];

function readAs(text: string, kind: Kind, spot: Spot): Expression {
  const decimal = kind === 'decimal' ? parseDecimal(text) : undefined;
  const scale = decimal?.scale ?? 0;
  const spec: ValueSpec = { type: kind, scale, rules: noRules, examples: [] };
  const read = canonical(spec, text);
  if ('value' in read) return constant(read.value, plain(kind, scale));
  throw new ExpressionError('wrong-type', `this text ${read.fault.detail}`, `write ${names[kind]} here`, spot);
}

/** What to do about JSON whose kind is not known. */
export const SAY_WHAT = 'say what it is, as number(…) or text(…); or ask whether it IS NULL';

const COUNTED: readonly Kind[] = ['integer', 'decimal', 'number'];

/** The kind in which values can be compared: that of `kind`, widened for one more value. */
export function commonKind(
  kind: ValueKind,
  value: Expression,
  first: Expression,
  spot: Spot,
  beside: Syntax,
): ValueKind {
  const other = value.type;
  if (kind.kind === other.kind) return kind.kind === 'decimal' && other.scale > kind.scale ? other : kind;
  if (COUNTED.includes(kind.kind) && COUNTED.includes(other.kind)) {
    if (kind.kind === 'number' || other.kind === 'number') return plain('number');
    return plain('decimal', Math.max(kind.scale, other.scale));
  }
  if (isText(value) && READ_FROM_TEXT.includes(kind.kind)) {
    return kind.kind === 'decimal' ? widened(kind, readAs(value.value, 'decimal', spot)) : kind;
  }
  if (isText(first) && kind.kind === 'text' && READ_FROM_TEXT.includes(other.kind)) {
    return other.kind === 'decimal' ? widened(other, readAs(first.value, 'decimal', spot)) : other;
  }
  const dated = [kind.kind, other.kind].every((one) => one === 'date' || one === 'date-time');
  if (dated) return plain('date-time');
  if (kind.kind === 'json' || other.kind === 'json') {
    throw new ExpressionError('wrong-type', 'a JSON value can not be compared like this', SAY_WHAT, spot);
  }
  const shown = beside.kind === 'property' ? `\`${beside.path.join('.')}\` is` : 'the other side is';
  const message = `${shown} ${names[kind.kind]}, and this is ${names[other.kind]}`;
  const remedy =
    COUNTED.includes(kind.kind) && other.kind === 'text'
      ? 'write a number, without quotes'
      : `write ${names[kind.kind]} here`;
  throw new ExpressionError('wrong-type', message, remedy, spot);
}

const widened = (kind: ValueKind, other: Expression): ValueKind => (other.type.scale > kind.scale ? other.type : kind);

const isText = (value: Expression): value is Expression & { op: 'constant'; value: string } =>
  value.op === 'constant' && value.type.kind === 'text';

/** JSON beside values of a kind is read as that kind, where JSON knows it. */
export function openedBeside(values: readonly Expression[]): readonly Expression[] {
  const beside = values.find(({ type }) => type.kind !== 'json')?.type.kind;
  if (beside === undefined || !values.some(({ type }) => type.kind === 'json')) return values;
  const kind = COUNTED.includes(beside) ? 'number' : beside;
  if (kind !== 'text' && kind !== 'number' && kind !== 'boolean') return values;
  return values.map((value) => (value.type.kind === 'json' ? openedAs(value, kind) : value));
}

export const openedAs = (of: Expression, kind: 'text' | 'number' | 'boolean'): Expression => ({
  op: 'open',
  of,
  type: plain(kind),
});

/** A value as one of another kind that it can be read as; constants are worked out here. */
export function asKind(value: Expression, type: ValueKind, spot: Spot): Expression {
  const from = value.type;
  if (from.kind === type.kind && from.scale === type.scale) return value;
  if (value.op !== 'constant') return { op: 'convert', of: value, type: plain(type.kind, type.scale) };
  if (isText(value)) return asKind(readAs(value.value, type.kind, spot), type, spot);
  if (type.kind === 'number') return constant(Number(value.value), plain('number'));
  if (type.kind === 'date-time') return constant(`${String(value.value)}T00:00:00.000Z`, plain('date-time'));
  const scaled = rescale(parseDecimal(String(value.value))!, type.scale);
  return scaled === undefined ? { op: 'convert', of: value, type } : constant(formatDecimal(scaled), type);
}

/** A value as an operand, with no more digits than its kind allows. */
export function asOperand(value: Expression, type: ValueKind, spot: Spot): Expression {
  const operand = asKind(value, type, spot);
  return operand.op === 'convert' && operand !== value ? { ...operand, bounded: true } : operand;
}

/** Whether a value of one kind can be kept as another, rounded where it must be. */
export function isStorable(from: ValueKind, to: ValueKind): boolean {
  if (from.kind === to.kind) return from.kind !== 'array' && from.kind !== 'json';
  if (COUNTED.includes(to.kind)) return COUNTED.includes(from.kind);
  return from.kind === 'date' && to.kind === 'date-time';
}
