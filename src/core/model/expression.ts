import type { Field } from './field.ts';
import type { Step, Via } from './relation.ts';
import type { FieldValue } from './scalar.ts';

/** The kind of an expression's value. All texts are one kind, whatever the type of their field. */
export type Kind =
  'text' | 'uuid' | 'integer' | 'decimal' | 'number' | 'boolean' | 'date' | 'time' | 'date-time' | 'array' | 'json';

export interface ValueKind {
  readonly kind: Kind;
  /** Digits after the point, where the kind is decimal. */
  readonly scale: number;
  /** What each item is, where the kind is array. */
  readonly items?: ValueKind;
  /** The only values that a text can have, where its field has an enum. */
  readonly words?: readonly string[];
}

/**
 * An expression whose names have been resolved and whose types agree: conversions are nodes of their own, so that each
 * reading only has to do what a node says. Plain data.
 */
export type Expression = { readonly type: ValueKind } & (
  | { readonly op: 'constant'; readonly value: string | number | boolean }
  /** What is known only when it is read: the time, the day, and the key of the caller. */
  | { readonly op: 'now' | 'today' | 'me' }
  | { readonly op: 'has-role'; readonly role: string }
  /** A stored member, or a member inside it. */
  | { readonly op: 'field'; readonly field: Field; readonly inside: readonly string[] }
  /** The value of an expression over the one record that a step leads to; null where there is none. */
  | {
      readonly op: 'at';
      readonly step: Step;
      readonly target: string;
      readonly of: Expression;
      /** A condition over that record: if it is not true, there is none. */
      readonly guard?: Expression | undefined;
    }
  /** In the condition of a `Many`: the value of an expression over the record that the many belong to. */
  | { readonly op: 'outer'; readonly of: Expression }
  /** The value of an expression where a condition is true, and null elsewhere. */
  | { readonly op: 'when'; readonly condition: Expression; readonly of: Expression }
  /** Where it is `bounded`, a decimal of more than 18 digits is null; without, it is only compared with. */
  | { readonly op: 'convert'; readonly of: Expression; readonly bounded?: boolean }
  | { readonly op: Arithmetic; readonly left: Expression; readonly right: Expression }
  | { readonly op: Comparison; readonly left: Expression; readonly right: Expression }
  | { readonly op: 'like'; readonly of: Expression; readonly pattern: readonly PatternPart[] }
  | { readonly op: 'between'; readonly of: Expression; readonly low: Expression; readonly high: Expression }
  | { readonly op: 'in'; readonly of: Expression; readonly among: readonly Expression[] }
  | { readonly op: 'is-null' | 'not' | TextFunction | 'length'; readonly of: Expression }
  /** What stands in JSON, as a text, a number or a condition; null where it is none. */
  | { readonly op: 'open'; readonly of: Expression }
  | { readonly op: 'and' | 'or' | 'coalesce'; readonly args: readonly Expression[] }
  /** A date, or a date and time, later by a duration. */
  | { readonly op: 'add'; readonly of: Expression; readonly duration: Duration }
  | { readonly op: CalendarPart; readonly of: Expression }
  /** From the left one to the right one. */
  | { readonly op: 'days-between' | 'seconds-between'; readonly left: Expression; readonly right: Expression }
  | { readonly op: 'count' | 'exists'; readonly many: Many }
  | { readonly op: Aggregate; readonly many: Many; readonly value: Expression }
  | { readonly op: ListOperator; readonly left: List; readonly right: List }
);

/** A duration of ISO 8601; its parts have one sign. */
export interface Duration {
  readonly months: number;
  readonly days: number;
  readonly milliseconds: number;
}

const CALENDAR = ['add', 'year', 'month', 'weekday', 'days-between', 'seconds-between'] as const;

/** A node that counts in the calendar. */
export type CalendarNode = Expression & { readonly op: (typeof CALENDAR)[number] };

export const isOfCalendar = (node: Expression): node is CalendarNode =>
  (CALENDAR as readonly string[]).includes(node.op);

export type CalendarPart = 'year' | 'month' | 'weekday';
export type Arithmetic = '+' | '-' | '*' | '/' | '%' | 'div' | '^';
export type TextFunction = 'casei' | 'accenti' | 'lower' | 'upper';
export type Aggregate = 'sum' | 'min' | 'max' | 'avg';
export type ListOperator = 'contains' | 'contained-by' | 'overlaps' | 'equals';

/** A part of a LIKE pattern: literal text, any one character, or any text. */
export type PatternPart = { readonly text: string } | 'one' | 'any';

/** The records at the other end of a to-many relation. */
export interface Many {
  /** The key of the record that they belong to; over each of those that it goes `through`, where there are any. */
  readonly of: Expression;
  /** The records between: the same record behind several of them counts once. */
  readonly through?: Many;
  readonly via: Via;
  /** Their model. */
  readonly target: string;
  /** The key of their records. */
  readonly key: Field;
  /** A condition over each of them: others are not there for the caller. */
  readonly guard?: Expression | undefined;
  /** The same as the expression says it: others do not count. */
  readonly where?: Expression | undefined;
}

/** The first of the relations to many along which one goes. */
export const firstOf = (many: Many): Many => (many.through === undefined ? many : firstOf(many.through));

/** The relations to many that a node itself follows. */
export function manysOf(node: Expression): Many[] {
  if ('many' in node) return [node.many];
  const sides = 'left' in node ? [node.left, node.right] : [];
  return sides.flatMap((side) => ('kind' in side && side.kind === 'many' ? [side.many] : []));
}

/** Several values, without order and repeats. */
export type List = { readonly items: ValueKind } & (
  | { readonly kind: 'array'; readonly of: Expression }
  | { readonly kind: 'many'; readonly many: Many; readonly value: Expression }
  | { readonly kind: 'constants'; readonly values: readonly Expression[] }
);

/** The kind of a field's values. */
export function kindOf(spec: Pick<Field, 'type' | 'scale' | 'items' | 'rules'>): ValueKind {
  switch (spec.type) {
    case 'string':
    case 'text':
    case 'email':
    case 'uri':
    case 'secret': {
      const words = spec.rules.enum?.filter((value): value is string => typeof value === 'string');
      return { kind: 'text', scale: 0, ...(words === undefined ? {} : { words }) };
    }
    case 'array':
      return { kind: 'array', scale: 0, items: spec.items === undefined ? undefined : kindOf(spec.items) };
    case 'object':
      return { kind: 'json', scale: 0 };
    default:
      return { kind: spec.type, scale: spec.scale };
  }
}

const boolean: ValueKind = { kind: 'boolean', scale: 0 };
export const plain = (kind: Kind, scale = 0): ValueKind => (kind === 'boolean' ? boolean : { kind, scale });

export const constant = (value: FieldValue, type: ValueKind): Expression => ({
  op: 'constant',
  value: value as string | number | boolean,
  type,
});

const LETTERS: readonly string[] = ['casei', 'accenti', 'lower', 'upper', 'like'];

/** Whether a node maps the letters of a text one by one, which takes time in proportion to its length. */
export const isOfLetters = (node: Expression): node is Expression & { readonly of: Expression } =>
  LETTERS.includes(node.op);

/** Whether its value depends on who asks. */
export function asksWho(expression: Expression): boolean {
  let asks = false;
  walk(expression, ({ op }) => (asks ||= op === 'me' || op === 'has-role'));
  return asks;
}

/** Calls `visit` with an expression and everything inside it. */
export function walk(expression: Expression, visit: (node: Expression) => void): void {
  visit(expression);
  childrenOf(expression).forEach((child) => walk(child, visit));
}

/** The expressions of which one is made. */
export const childrenOf = (expression: Expression): Expression[] => partsOf(expression, true);

/** Those over the same record, or a record to which `at` leads: without what is asked of each of many. */
export const ownChildrenOf = (expression: Expression): Expression[] => partsOf(expression, false);

/** Whether an expression may need one of a record's own members: those of related records are taken for its own. */
export function needs(expression: Expression, members: ReadonlySet<string>): boolean {
  if (members.size === 0) return false;
  if (expression.op === 'field') return members.has(expression.field.member);
  if (expression.op === 'at') return 'field' in expression.step && members.has(expression.step.field.member);
  return childrenOf(expression).some((child) => needs(child, members));
}

function partsOf(expression: Expression, ofMany: boolean): Expression[] {
  const children: Expression[] = [];
  const add = (...ones: readonly Expression[]): unknown => children.push(...ones);
  const list = (of: List): void => {
    if (of.kind === 'array') add(of.of);
    else if (of.kind === 'constants') add(...of.values);
    else {
      many(of.many);
      if (ofMany) add(of.value);
    }
  };
  const many = ({ of, through, where }: Many): void => {
    if (through !== undefined) many(through);
    if (through === undefined || ofMany) add(of);
    if (where !== undefined && ofMany) add(where);
  };
  if ('of' in expression) add(expression.of);
  if ('many' in expression) many(expression.many);
  if ('value' in expression && expression.op !== 'constant' && ofMany) add(expression.value);
  if (expression.op === 'when') add(expression.condition);
  if ('args' in expression) add(...expression.args);
  if ('among' in expression) add(...expression.among);
  if (expression.op === 'between') add(expression.low, expression.high);
  if ('left' in expression) {
    for (const side of [expression.left, expression.right]) {
      if ('op' in side) add(side);
      else list(side);
    }
  }
  return children;
}

export type Comparison = (typeof COMPARISONS)[number];

export const COMPARISONS = ['=', '<>', '<', '>', '<=', '>='] as const;
