import randexp from 'randexp';
import type { ValueSpec } from '../model/field.ts';
import { joinedKey } from '../model/joined-key.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { decimalOfNumber, formatDecimal, parseDecimal, rescale } from '../text/decimal.ts';
import { testsOf } from './tests.ts';
import type { RuleTest } from './tests.ts';

/** Values known to be good: those of the samples, by `hut.name`. */
export type KnownValues = ReadonlyMap<string, readonly FieldValue[]>;

/** Whether a value of the right type keeps every rule of its field. */
export const isSound = (field: ValueSpec, value: NonNullable<FieldValue>): boolean =>
  testsFor(field).every(({ holds }) => holds(value));

const known = new WeakMap<ValueSpec, RuleTest[]>();

/** The tests of a value, made once. */
function testsFor(field: ValueSpec): RuleTest[] {
  let tests = known.get(field);
  if (tests === undefined) known.set(field, (tests = testsOf(field)));
  return tests;
}

/**
 * A value that keeps every rule of a field, another one for each `turn` as far as there are others; undefined where
 * none can be made up or is known.
 */
export function exampleValue(field: ValueSpec, turn: number, known: readonly FieldValue[]): FieldValue | undefined {
  const { rules } = field;
  if (rules.const !== undefined) return rules.const;
  if (rules.enum !== undefined) return rules.enum[turn % rules.enum.length];
  if (field.parts !== undefined) {
    const parts = field.parts.map((part) => exampleValue(part, turn, []) as Scalar | undefined);
    return parts.includes(undefined) ? undefined : joinedKey(parts as Scalar[]);
  }
  const made = madeUp(field, turn);
  if (made !== undefined && isSound(field, made)) return made;
  const matching = rules.pattern === undefined ? undefined : matchingText(field, rules.pattern, turn);
  if (matching !== undefined) return matching;
  const choices = [...field.examples, ...known].filter((value) => value !== null && isSound(field, value));
  return choices.length === 0 ? undefined : choices[turn % choices.length];
}

function madeUp(field: ValueSpec, turn: number): NonNullable<FieldValue> | undefined {
  const { minLength = 1, maxLength = 40 } = field.rules;
  const runtime = new Date(Date.UTC(2031, 0, 1) + turn * 86_400_000).toISOString();
  switch (field.type) {
    case 'string':
    case 'text':
    case 'secret':
      if (field.rules.format !== undefined) return FORMED.get(field.rules.format)?.(turn);
      return inCase(field, textOf(Math.min(Math.max(minLength, 8), maxLength), turn));
    case 'email':
      return inCase(field, `trial-${turn}@huts.example`);
    case 'uri':
      return `https://huts.example/${turn}`;
    case 'uuid':
      return `01900000-0000-7000-8000-${turn.toString(16).padStart(12, '0')}`;
    case 'boolean':
      return turn % 2 === 0;
    case 'date':
      return runtime.slice(0, 10);
    case 'date-time':
      return runtime;
    case 'time':
      return new Date(turn * 1000).toISOString().slice(11, 19);
    case 'json':
      return { turn };
    case 'array':
      return arrayOf(field, turn);
    case 'object':
      return objectOf(field, turn);
    default:
      return counted(field, turn);
  }
}

/** Texts of each format. */
const FORMED: ReadonlyMap<string, (turn: number) => string> = new Map([
  ['duration', (turn) => `P${turn}D`],
  ['hostname', (turn) => `host-${turn}.huts.example`],
  ['ipv4', (turn) => `192.0.${Math.floor(turn / 256) % 256}.${turn % 256}`],
  ['ipv6', (turn) => `2001:db8::${(turn % 65_536).toString(16)}`],
  ['json-pointer', (turn) => `/a/${turn}`],
  ['regex', (turn) => `a{${turn % 100}}b?`],
  ['uri-reference', (turn) => `/huts/${turn}`],
  ['uri-template', (turn) => `/huts/${turn}/{name}`],
]);

/** Two or three items where the rules allow so many, no two alike as far as there are others. */
function arrayOf(field: ValueSpec, turn: number): FieldValue[] | undefined {
  const { minItems = 0, maxItems = Infinity } = field.rules;
  const wanted = Math.min(Math.max(minItems, 2 + (turn % 2)), maxItems);
  const items: FieldValue[] = [];
  for (let at = 0; items.length < wanted && at < wanted + 8; at += 1) {
    const item = exampleValue(field.items!, turn + at, []);
    if (item === undefined) break;
    const isNew = !items.some((other) => JSON.stringify(other) === JSON.stringify(item));
    if (isNew || (!field.rules.uniqueItems && at >= wanted)) items.push(item);
  }
  return items.length < minItems ? undefined : items;
}

/** Every member that a value can be made up for; undefined where that leaves out one that is required. */
function objectOf(field: ValueSpec, turn: number): NonNullable<FieldValue> | undefined {
  const members: [string, FieldValue][] = [];
  for (const [name, property] of field.properties!) {
    const value = exampleValue(property, turn, []);
    if (value !== undefined) members.push([name, value]);
    else if (property.rules.required) return undefined;
  }
  return Object.fromEntries(members);
}

/** The package's types hide that its export is the class itself. */
const RandExp = randexp as unknown as new (pattern: string) => {
  max: number;
  randInt: (from: number, to: number) => number;
  gen(): string;
};

/** How often a text is made up from a pattern before other rules of the field are found to rule all of them out. */
const TRIES = 40;

/** A text that a pattern allows, the same for the same turn; undefined where none was found. */
function matchingText(field: ValueSpec, pattern: string, turn: number): string | undefined {
  try {
    const maker = new RandExp(pattern);
    maker.max = 12;
    let state = turn * 2_654_435_761;
    maker.randInt = (from, to) => {
      // A linear congruential generator (Numerical Recipes): the upper bits are the good ones.
      state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
      return from + Math.floor((state / 2 ** 32) * (to - from + 1));
    };
    for (let tried = 0; tried < TRIES; tried += 1) {
      const text = inCase(field, maker.gen());
      if (isSound(field, text)) return text;
    }
  } catch {
    // The pattern uses a form that only the regular expression engine knows.
  }
  return undefined;
}

/** A number of the field's grid, `turn` steps above the lowest that is allowed. */
function counted(field: ValueSpec, turn: number): string | number {
  const { minimum, maximum, exclusiveMinimum, exclusiveMaximum } = field.rules;
  const step = stepOf(field);
  const low = minimum ?? (exclusiveMinimum === undefined ? undefined : exclusiveMinimum + step);
  const high = maximum ?? (exclusiveMaximum === undefined ? undefined : exclusiveMaximum - step);
  const first = Math.ceil((low ?? Math.min(1, high ?? 1)) / step);
  const last = high === undefined ? first + 1000 : Math.floor(high / step);
  const span = Math.max(1, last - first + 1);
  return onGrid(field, (first + (turn % span)) * step);
}

/** The smallest difference between two values of a field that keep its rules. */
export function stepOf(field: ValueSpec): number {
  if (field.rules.multipleOf !== undefined) return field.rules.multipleOf;
  return field.type === 'decimal' ? 10 ** -field.scale : 1;
}

const PLENTY = 1_000_000;

/** A stock that others may draw on without an end. */
export function plenty(field: ValueSpec): string | number {
  const step = stepOf(field);
  const { maximum, exclusiveMaximum } = field.rules;
  const most = Math.min(
    PLENTY,
    maximum ?? Infinity,
    exclusiveMaximum === undefined ? Infinity : exclusiveMaximum - step,
  );
  return onGrid(field, Math.floor(most / step) * step);
}

/** A number as the field's JSON has it. */
export function onGrid(field: ValueSpec, value: number): string | number {
  if (field.type !== 'decimal') return Number(value.toPrecision(15));
  const exact = parseDecimal(value.toFixed(field.scale)) ?? decimalOfNumber(value);
  return formatDecimal(rescale(exact, field.scale) ?? exact);
}

/** A text of a given length that differs from turn to turn, as far as possible. */
export function textOf(length: number, turn: number): string {
  const mark = turn.toString(36);
  return mark.length >= length ? mark.slice(-length) : 'a'.repeat(length - mark.length) + mark;
}

export function inCase(field: ValueSpec, text: string): string {
  if (field.rules.letters === 'upper') return text.toUpperCase();
  return field.rules.letters === 'lower' ? text.toLowerCase() : text;
}
