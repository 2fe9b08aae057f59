import type {
  Aggregate,
  Arithmetic,
  CalendarPart,
  Duration,
  Kind,
  PatternPart,
  TextFunction,
  ValueKind,
} from '../model/expression.ts';
import type { Forms } from './form.ts';

/** How one kind of database spells what expressions ask of it. Every method takes SQL and gives SQL. */
export interface ExpressionDialect {
  /**
   * How deep parentheses may stand in each other before a value is worked out beside its statement; undefined for any
   * depth.
   */
  readonly deepest?: number;
  /** Whether a table that stands in a FROM as a SELECT can't see the row that its statement is about. */
  readonly isFlat?: boolean;
  /**
   * Where it is flat: a table with one row of values that are worked out of those of the tables before it in a FROM.
   */
  beside?(values: readonly { readonly name: string; readonly type: ValueKind; readonly value: string }[]): string;
  /** An identifier, quoted. */
  name(identifier: string): string;
  /** How columns are spelled that are not the tool's own. */
  readonly forms: Forms;
  /** A placeholder as a value of a kind. */
  parameter(type: ValueKind, placeholder: string): string;
  /** What stands at a path inside a column that holds JSON; JSON itself where that is its kind. */
  inside(column: string, path: readonly string[], type: ValueKind): string;
  /** JSON as a text, a number or a condition; null where it is none. */
  open(json: string, type: ValueKind): string;
  /** A text that holds a key, as that key: an index of keys can be asked for it. */
  keyOfText(type: ValueKind, text: string): string;
  /** The text of a key of several values, in which commas are written otherwise where one is a text. */
  joinedKey(values: readonly { readonly sql: string; readonly isText: boolean }[]): string;
  /** The text of one of the values of such a key, by its place. */
  partOfKey(key: string, at: number): string;
  /** A SELECT of the items of an array, as `v`; where it is flat, it ends in a condition, and they are `items.v`. */
  items(array: string, items: ValueKind): string;
  /** Where it is `bounded`, a decimal of more than 18 digits is null. */
  convert(of: string, from: ValueKind, to: ValueKind, bounded: boolean): string;
  /** `operands` is the kind of both sides; what overflows or divides by zero is null. */
  arithmetic(op: Arithmetic, left: string, right: string, operands: Kind, result: ValueKind): string;
  /** `place` takes the pattern as a parameter. */
  like(of: string, pattern: readonly PatternPart[], place: (pattern: string) => string): string;
  letters(change: TextFunction, of: string): string;
  /** In code points. */
  length(of: string): string;
  /** A date, or a date and time, later by a duration; null beyond the years 1 to 9999. */
  add(of: string, kind: Kind, duration: Duration): string;
  part(part: CalendarPart, of: string, kind: Kind): string;
  /** Whole days from one date, or date and time, to another: a date and time counts as its day in UTC. */
  daysBetween(from: string, to: string, kinds: readonly [Kind, Kind]): string;
  /** A decimal of three digits, from one date and time to another. */
  secondsBetween(from: string, to: string): string;
  /** An aggregate over a column; null over no rows. */
  aggregate(op: Aggregate, column: string, result: ValueKind): string;
}
