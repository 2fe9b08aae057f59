import { MOST_FAILURES, pointerTo } from '../../api/failure.ts';
import type { ValueSpec } from '../../model/field.ts';
import { USUAL_ITEMS, USUAL_LONGEST } from '../../model/field.ts';
import { hasFormat } from '../../model/formats.ts';
import type { FieldValue } from '../../model/scalar.ts';
import { canonical, isSame } from '../../model/value.ts';
import { compareDecimals, decimalOfNumber, parseDecimal } from '../../text/decimal.ts';
import { isRecord } from '../../text/value.ts';

/** A rule that a value breaks, and where. */
export interface Broken {
  readonly pointer: string;
  readonly rule: string;
}

/** Puts a value into the form that is kept, and reports the rules that it breaks. */
export function readValue(spec: ValueSpec, given: unknown, pointer: string, broken: Broken[]): FieldValue {
  const report = (rule: string): number => broken.push({ pointer, rule });
  if (given === null || given === undefined) {
    if (spec.rules.required) report('required');
    return null;
  }
  const value = typeof given === 'string' ? written(spec, given) : given;
  if (spec.type === 'array' && Array.isArray(value)) return readArray(spec, value, pointer, broken);
  if (spec.type === 'object' && isRecord(value)) return readObject(spec, value, pointer, broken);
  const read = canonical(spec, value);
  if ('fault' in read) {
    report(read.fault.rule);
    return value as FieldValue;
  }
  brokenBy(spec, read.value!).forEach(report);
  return read.value;
}

/** A text as it is kept: without blanks around it, in one case. */
function written({ rules }: ValueSpec, text: string): string {
  const cut = rules.trim ? text.trim() : text;
  return rules.letters === 'lower' ? cut.toLowerCase() : rules.letters === 'upper' ? cut.toUpperCase() : cut;
}

function readArray(spec: ValueSpec, given: readonly unknown[], pointer: string, broken: Broken[]): FieldValue {
  const items = { ...spec.items!, rules: { ...spec.items!.rules, required: true } };
  const isTooLong = given.length > Math.max(USUAL_ITEMS, spec.rules.maxItems ?? 0);
  const inside: Broken[] = [];
  const value = isTooLong
    ? (given as FieldValue[])
    : given.map((item, at) => readValue(items, item, `${pointer}/${at}`, inside));
  broken.push(...brokenBy(spec, value).map((rule) => ({ pointer, rule })), ...inside);
  return value;
}

function readObject(
  spec: ValueSpec,
  given: Readonly<Record<string, unknown>>,
  pointer: string,
  broken: Broken[],
): FieldValue {
  const properties = spec.properties!;
  for (const name of Object.keys(given)) {
    if (!properties.has(name)) broken.push({ pointer: pointer + pointerTo(name), rule: 'unknown' });
  }
  const members: [string, FieldValue][] = [];
  const inside: Broken[] = [];
  for (const [name, property] of properties) {
    const at = pointer + pointerTo(name);
    if (Object.hasOwn(given, name)) members.push([name, readValue(property, given[name], at, inside)]);
    else if (property.rules.default !== undefined) members.push([name, property.rules.default]);
    else if (property.rules.required) inside.push({ pointer: at, rule: 'required' });
  }
  const value = Object.fromEntries(members);
  broken.push(...brokenBy(spec, value).map((rule) => ({ pointer, rule })), ...inside);
  return value;
}

/** Whether a list of broken rules is the whole list: answers stop at a number of them. */
export const isWholeList = (broken: readonly Broken[]): boolean => broken.length <= MOST_FAILURES;

/** The names of the rules that a value of the right type breaks. */
export function brokenBy(spec: ValueSpec, value: NonNullable<FieldValue>): string[] {
  const broken = Array.isArray(value)
    ? brokenByItems(spec, value as FieldValue[])
    : typeof value === 'number' || spec.type === 'decimal'
      ? brokenByNumber(spec, value as number | string)
      : typeof value === 'string'
        ? brokenByText(spec, value)
        : [];
  const { enum: choices, const: only } = spec.rules;
  if (choices !== undefined && !(choices as readonly unknown[]).includes(value)) broken.push('enum');
  if (only !== undefined && !isSame(value, only)) broken.push('const');
  return broken;
}

function brokenByItems({ rules }: ValueSpec, items: readonly FieldValue[]): string[] {
  const different = new Set(items.map((item) => JSON.stringify(item))).size;
  const isTooLong = items.length > Math.max(USUAL_ITEMS, rules.maxItems ?? 0);
  return [
    ...(rules.minItems !== undefined && items.length < rules.minItems ? ['minItems'] : []),
    ...(rules.maxItems !== undefined && items.length > rules.maxItems ? ['maxItems'] : []),
    ...(rules.uniqueItems && !isTooLong && different < items.length ? ['uniqueItems'] : []),
  ];
}

function brokenByNumber({ rules }: ValueSpec, value: number | string): string[] {
  const exact = typeof value === 'string' ? parseDecimal(value)! : decimalOfNumber(value);
  const against = (bound: number): number => compareDecimals(exact, decimalOfNumber(bound));
  const { minimum, maximum, exclusiveMinimum, exclusiveMaximum, multipleOf } = rules;
  const broken: string[] = [];
  if (minimum !== undefined && against(minimum) < 0) broken.push('minimum');
  if (maximum !== undefined && against(maximum) > 0) broken.push('maximum');
  if (exclusiveMinimum !== undefined && against(exclusiveMinimum) <= 0) broken.push('exclusiveMinimum');
  if (exclusiveMaximum !== undefined && against(exclusiveMaximum) >= 0) broken.push('exclusiveMaximum');
  if (multipleOf !== undefined) {
    const step = decimalOfNumber(multipleOf);
    const scale = Math.max(exact.scale, step.scale);
    const units = ({ digits, scale: own }: typeof exact): bigint => digits * 10n ** BigInt(scale - own);
    if (units(exact) % units(step) !== 0n) broken.push('multipleOf');
  }
  return broken;
}

const FREE_TEXTS = ['string', 'text', 'secret'];

function brokenByText({ type, rules }: ValueSpec, value: string): string[] {
  const { required, minLength, maxLength, longest, pattern, format } = rules;
  const length = [...value].length;
  const isForm = pattern !== undefined || format !== undefined;
  const most = maxLength ?? longest ?? (isForm ? USUAL_LONGEST : Infinity);
  const broken: string[] = [];
  if (required && FREE_TEXTS.includes(type) && minLength === undefined && value === '') broken.push('required');
  if (minLength !== undefined && length < minLength) broken.push('minLength');
  if (length > most) broken.push('maxLength');
  // What is much too long is not held against a form.
  if (value.length > 2 * most) return broken;
  if (pattern !== undefined && !new RegExp(pattern, 'u').test(value)) broken.push('pattern');
  if (format !== undefined && !hasFormat(format, value)) broken.push('format');
  return broken;
}
