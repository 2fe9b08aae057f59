import { ownChildrenOf } from '../model/expression.ts';
import type { Expression, PatternPart } from '../model/expression.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { isReverse } from '../model/relation.ts';
import type { FieldValue } from '../model/scalar.ts';
import { canonical, isSame } from '../model/value.ts';
import { isSound, onGrid, stepOf } from '../rules/examples.ts';
import type { Constraint, Draft } from './constraints.ts';
import type { Row } from './records.ts';
import { valueOver } from './related.ts';
import type { Surroundings } from './related.ts';

/** A member of a draft that could be given another value. */
export interface Place {
  readonly draft: Draft;
  readonly field: Field;
}

/** What a constraint compares: the members that it depends on, and the values that it sees. */
export interface Compared {
  readonly places: readonly Place[];
  readonly values: readonly FieldValue[];
  /** How far apart two sides of a comparison are. */
  readonly gaps: readonly number[];
  /** Texts that patterns are made of. */
  readonly texts: readonly string[];
}

/** Looks into the expressions of a constraint, and follows them along relations to other drafts. */
export function comparedBy(around: Surroundings, constraint: Constraint, draftOf: (row: Row) => Draft | undefined) {
  const places: Place[] = [];
  const [values, gaps, texts]: [FieldValue[], number[], string[]] = [[], [], []];
  const addPlace = (draft: Draft, member: string): void => {
    const field = draft.model.byMember.get(member);
    if (field === undefined || draft.fixed.has(member)) return;
    if (!places.some((one) => one.draft === draft && one.field === field)) places.push({ draft, field });
  };

  function look(expression: Expression, model: Model, row: Row): void {
    const draft = draftOf(row);
    if (expression.op === 'field' && draft !== undefined) addPlace(draft, expression.field.member);
    if (expression.op === 'at') {
      const { step, target, of } = expression;
      if (isReverse(step)) return;
      if (draft !== undefined) addPlace(draft, step.field.member);
      const other = around.records.byKey(target, row[step.field.member]);
      if (other !== undefined) look(of, modelOf(around.graph, target), other);
      return;
    }
    if (expression.op === 'like') texts.push(...expression.pattern.flatMap(textOf));
    if ('many' in expression) return;
    const value = valueOver(around, expression, model, row);
    if (value !== null && typeof value !== 'object') values.push(value);
    if (Array.isArray(value)) values.push(...(value as FieldValue[]));
    if ('left' in expression && 'op' in expression.left && 'op' in expression.right) {
      const [left, right] = [expression.left, expression.right].map((side) =>
        numberOf(valueOver(around, side, model, row)),
      );
      if (left !== undefined && right !== undefined) gaps.push(right - left);
    }
    for (const child of ownChildrenOf(expression)) look(child, model, row);
  }

  const { draft } = constraint;
  for (const expression of constraint.expressions) look(expression, draft.model, draft.values);
  for (const member of constraint.members) addPlace(draft, member);
  values.push(...(constraint.values?.() ?? []));
  return { places, values, gaps, texts };
}

const textOf = (part: PatternPart): string[] => (typeof part === 'object' ? [part.text] : []);

const DAY_MS = 86_400_000;

/** A value on a line: numbers as they are, times in milliseconds. */
function numberOf(value: FieldValue): number | undefined {
  if (typeof value === 'number') return value;
  if (typeof value !== 'string') return undefined;
  if (/^-?\d+(\.\d+)?$/.test(value)) return Number(value);
  if (/^\d\d:\d\d:\d\d/.test(value)) return Date.parse(`1970-01-01T${value}Z`);
  return /^\d{4}-\d\d-\d\d/.test(value) ? Date.parse(value) : undefined;
}

/** A number on that line as a field has it; undefined where it can't. */
function fromNumber(field: Field, number: number): FieldValue | undefined {
  const time = (): Date | undefined => {
    const date = new Date(Math.round(number));
    return Number.isNaN(date.getTime()) || date.getUTCFullYear() < 1 || date.getUTCFullYear() > 9999 ? undefined : date;
  };
  switch (field.type) {
    case 'integer':
      return Number.isSafeInteger(Math.round(number)) ? Math.round(number) : undefined;
    case 'number':
      return number;
    case 'decimal':
      return Math.abs(number) < 1e15 ? onGrid(field, number) : undefined;
    case 'date':
      return time()?.toISOString().slice(0, 10);
    case 'date-time':
      return time()?.toISOString();
    case 'time':
      return new Date(((Math.round(number) % DAY_MS) + DAY_MS) % DAY_MS).toISOString().slice(11, 19);
    default:
      return undefined;
  }
}

/** Whether a field may have a value, in this very form. */
function isOfField(field: Field, value: NonNullable<FieldValue>): boolean {
  const read = canonical(field, value);
  return 'value' in read && isSame(read.value, value) && isSound(field, value);
}

const STEPS: Readonly<Record<string, number>> = { date: DAY_MS, 'date-time': 1000, time: 1000 };

/** The values of a member that might make a constraint hold, the likeliest first. */
export function candidatesFor({ draft, field }: Place, { values, gaps, texts }: Compared): FieldValue[] {
  const now = draft.values[field.member] ?? null;
  const found: FieldValue[] = [];
  const add = (value: FieldValue | undefined): void => {
    if (value === undefined || found.some((one) => isSame(one, value)) || isSame(value, now)) return;
    if (value === null ? !field.rules.required : isOfField(field, value)) found.push(value);
  };
  // Which records there are is known elsewhere.
  if (field.refersTo !== undefined) {
    add(null);
    return found;
  }
  const { rules } = field;
  if (field.type === 'boolean') [true, false].forEach(add);
  rules.enum?.forEach(add);
  const step = STEPS[field.type] ?? stepOf(field);
  const around = (at: number): void =>
    [at, at + step, at - step, Math.ceil(at / step) * step, Math.floor(at / step) * step].forEach((number) =>
      add(fromNumber(field, number)),
    );
  const current = numberOf(now);
  if (current !== undefined) {
    for (const gap of gaps) around(current + gap);
    for (const gap of gaps) around(current - gap);
  }
  for (const value of values) {
    const number = numberOf(value);
    if (number !== undefined) around(number);
    if (typeof value === 'string') add(value);
  }
  for (const text of texts) [text, `${typeof now === 'string' ? now : ''}${text}`].forEach(add);
  if (field.type === 'array') add(values.filter((value) => typeof value === 'string' || typeof value === 'number'));
  [rules.minimum, rules.maximum].forEach((bound) => bound !== undefined && around(bound));
  add(null);
  return found;
}
