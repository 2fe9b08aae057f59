import { pointerTo } from '../api/failure.ts';
import type { ValueSpec } from '../model/field.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { isWritten } from '../model/types.ts';
import { exampleValue, inCase, isSound, onGrid, stepOf, textOf } from '../rules/examples.ts';
import { longestOf, testsOf } from '../rules/tests.ts';
import { isRecord } from '../text/value.ts';
import { compareDecimals, decimalOfNumber, parseDecimal } from '../text/decimal.ts';

/** A value that stands on the edge of a rule, or just past it. */
export interface Edge {
  readonly rule: string;
  readonly value: unknown;
  readonly passes: boolean;
  /** The pointer to what breaks the rule, inside of the value. */
  readonly at?: string;
  /** `at its minimum, 1`. */
  readonly title: string;
}

/**
 * For each rule of a field, the values that are just good and just bad. `why` explains rules without such values.
 */
export function edgesOf(
  field: ValueSpec,
  turn: () => number,
): { edges: Edge[]; missing: { rule: string; why: string }[] } {
  const edges = [...typeEdges(field)];
  const missing: { rule: string; why: string }[] = [];
  const tests = testsOf(field);

  for (const { rule, holds } of tests) {
    const candidates = candidatesFor(field, rule, turn());
    const on = candidates.on.filter((value) => isSound(field, value));
    const broken = candidates.past.filter((value) => !holds(value));
    // Best a value that breaks this rule alone; else one that breaks others too, of which this one must be reported.
    const past = broken.find((value) => tests.every((other) => other.rule === rule || other.holds(value))) ?? broken[0];
    edges.push(...on.map((value) => ({ rule, value, passes: true, title: `${candidates.words}: ${shown(value)}` })));
    if (past !== undefined)
      edges.push({ rule, value: past, passes: false, title: `past ${candidates.words}: ${shown(past)}` });
    else missing.push({ rule, why: 'no value could be made up that breaks this rule' });
  }
  edges.push(...edgesInside(field, turn));
  return { edges, missing };
}

/** Edges of the members of an object, and of the items of a list. */
function edgesInside(field: ValueSpec, turn: () => number): Edge[] {
  const base = exampleValue(field, turn(), []);
  if (field.type === 'array' && Array.isArray(base) && base.length > 0) {
    const items = { ...field.items!, rules: { ...field.items!.rules, required: true } };
    const broken = edgesOf(items, turn).edges.filter(({ passes }) => !passes);
    return broken.map(({ rule, value, at = '', title }) => ({
      rule,
      value: [value, ...(base as FieldValue[]).slice(1)],
      passes: false,
      at: `/0${at}`,
      title: `item ${title}`,
    }));
  }
  if (field.type !== 'object' || !isRecord(base)) return [];
  return [...field.properties!].flatMap(([name, property]): Edge[] => {
    const { [name]: _left, ...rest } = base;
    const isNeeded = property.rules.required && property.rules.default === undefined;
    const left: Edge = { rule: 'required', value: rest, passes: false, at: pointerTo(name), title: `without ${name}` };
    const inside = edgesOf(property, turn).edges.map(({ rule, value, passes, at = '', title }): Edge => ({
      rule,
      value: { ...base, [name]: value },
      passes,
      at: pointerTo(name) + at,
      title: `${name} ${title}`,
    }));
    return isNeeded ? [left, ...inside] : inside;
  });
}

function shown(value: unknown): string {
  const text = JSON.stringify(value);
  if (text.length <= 32) return text;
  return Array.isArray(value) ? `${value.length} items` : `${String(value).length} characters`;
}

interface Candidates {
  readonly words: string;
  readonly on: readonly NonNullable<FieldValue>[];
  readonly past: readonly NonNullable<FieldValue>[];
}

function candidatesFor(field: ValueSpec, rule: string, turn: number): Candidates {
  const { rules } = field;
  const step = stepOf(field);
  const at = (value: number | undefined, by = 0) => [onGrid(field, (value ?? 0) + by * step)];
  const text = (length: number) => (length < 0 ? [] : [inCase(field, ofLength(field, length, turn))]);
  switch (rule) {
    case 'minLength':
      return { words: `minLength ${rules.minLength}`, on: text(rules.minLength!), past: text(rules.minLength! - 1) };
    case 'maxLength': {
      // Declared, or what holds for texts that have to have a form.
      const longest = longestOf(field)!;
      return { words: `maxLength ${longest}`, on: text(longest), past: text(longest + 1) };
    }
    case 'minimum':
      return { words: `minimum ${rules.minimum}`, on: at(rules.minimum), past: at(rules.minimum, -1) };
    case 'maximum':
      return { words: `maximum ${rules.maximum}`, on: at(rules.maximum), past: at(rules.maximum, 1) };
    case 'exclusiveMinimum': {
      const words = `exclusiveMinimum ${rules.exclusiveMinimum}`;
      return { words, on: at(rules.exclusiveMinimum, 1), past: at(rules.exclusiveMinimum) };
    }
    case 'exclusiveMaximum': {
      const words = `exclusiveMaximum ${rules.exclusiveMaximum}`;
      return { words, on: at(rules.exclusiveMaximum, -1), past: at(rules.exclusiveMaximum) };
    }
    case 'multipleOf':
      return { words: `multipleOf ${rules.multipleOf}`, on: multiples(field), past: nonMultiples(field) };
    case 'enum':
      return { words: 'enum', on: rules.enum as NonNullable<FieldValue>[], past: strangers(field) };
    case 'const':
      return { words: 'const', on: [rules.const!], past: strangers(field) };
    case 'minItems':
      return {
        words: `minItems ${rules.minItems}`,
        on: arrays(field, rules.minItems!, turn),
        past: arrays(field, rules.minItems! - 1, turn),
      };
    case 'maxItems':
      return {
        words: `maxItems ${rules.maxItems}`,
        on: arrays(field, rules.maxItems!, turn),
        past: arrays(field, rules.maxItems! + 1, turn),
      };
    case 'uniqueItems': {
      const [item] = arrays(field, 1, turn)[0] ?? [];
      return { words: 'uniqueItems', on: [], past: item === undefined ? [] : [[item, item]] };
    }
    case 'format':
      return { words: 'format', on: [], past: ['no such form, ÿ', '('] };
    case 'pattern':
      return { words: 'pattern', on: [], past: ['!', '?!?!', 'ÿÿÿÿÿÿÿÿ', '-', ' ', '0', 'zzzzzzzzzzzz', '{}{}{}{}{}'] };
    default:
      return { words: rule, on: [], past: isWritten(field.type) ? [''] : [] };
  }
}

/** One array with so many items, no two alike as far as they can be; none where they can't be made up. */
function arrays(field: ValueSpec, length: number, turn: number): FieldValue[][] {
  if (length < 0) return [];
  const items = Array.from({ length }, (_none, at) => exampleValue(field.items!, turn + at, []));
  return items.includes(undefined) ? [] : [items as FieldValue[]];
}

/** Some multiples near the lower bound, as the grid has them. */
function multiples(field: ValueSpec): NonNullable<FieldValue>[] {
  const low = field.rules.minimum ?? 0;
  const step = stepOf(field);
  return [onGrid(field, Math.ceil(low / step + 1) * step)];
}

function nonMultiples(field: ValueSpec): NonNullable<FieldValue>[] {
  const base = multiples(field)[0]!;
  const least = field.type === 'integer' ? 1 : field.type === 'decimal' ? 10 ** -field.scale : stepOf(field) / 2;
  const bare = { ...field, rules: { ...field.rules, multipleOf: undefined } };
  return [onGrid(bare, Number(base) + least)];
}

/** Values of the right type that an enum or a const surely doesn't hold. */
function strangers(field: ValueSpec): NonNullable<FieldValue>[] {
  const listed = (field.rules.enum ?? [field.rules.const ?? 0]) as readonly Scalar[];
  if (field.type === 'boolean') return [!listed[0]];
  if (listed.every((value) => typeof value === 'number')) return [Math.max(...listed) + 1];
  if (field.type === 'decimal') {
    const highest = listed
      .map((value) => parseDecimal(String(value))!)
      .sort(compareDecimals)
      .at(-1);
    return [onGrid(field, Number(highest?.digits ?? 0n) / 10 ** field.scale + Number(decimalOfNumber(1).digits))];
  }
  return [inCase(field, 'none-of-them'), 'none@huts.example', 'https://none.example/', '1999-01-01'];
}

function ofLength(field: ValueSpec, length: number, turn: number): string {
  if (field.type === 'email') return `${textOf(length - '@huts.example'.length, turn)}@huts.example`;
  if (field.type === 'uri') return `https://huts.example/${textOf(length - 'https://huts.example/'.length, turn)}`;
  return length === 0 ? '' : textOf(length, turn);
}

const FORMATS: Readonly<Record<string, readonly string[]>> = {
  date: ['2026-02-30', '12.06.2026'],
  time: ['25:00:00'],
  'date-time': ['2026-02-30T12:00:00Z', '2026-06-12'],
  uuid: ['not-a-uuid'],
  email: ['nobody', 'a@b@huts.example'],
  uri: ['huts'],
};

/** What is not of the field's type at all. */
function typeEdges(field: ValueSpec): Edge[] {
  const wrong = (value: unknown, rule: string, what: string): Edge => ({ rule, value, passes: false, title: what });
  const edges: Edge[] = [];
  if (field.type === 'object' || field.type === 'array') edges.push(wrong('no', 'type', 'of a wrong type: "no"'));
  else if (field.type !== 'json') edges.push(wrong({}, 'type', 'of a wrong type: {}'));
  for (const text of FORMATS[field.type] ?? [])
    edges.push(wrong(text, 'format', `not a valid ${field.type}: "${text}"`));
  if (field.type === 'integer') edges.push(wrong(1.5, 'type', 'not whole: 1.5'), wrong('1', 'type', 'in quotes: "1"'));
  if (field.type === 'boolean') edges.push(wrong('true', 'type', 'in quotes: "true"'));
  if (field.type === 'decimal') {
    const fine = `1.${'0'.repeat(field.scale)}1`;
    edges.push(wrong(fine, 'scale', `with more than ${field.scale} digits after the point: "${fine}"`));
  }
  if (field.rules.required) edges.push(wrong(null, 'required', 'null'));
  else edges.push({ rule: 'required', value: null, passes: true, title: 'null' });
  return edges;
}
