import { evaluate } from '../expression/evaluate.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Draw, Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import type { FieldValue } from '../model/scalar.ts';
import { canonical } from '../model/value.ts';
import { isSound, plenty } from '../rules/examples.ts';
import { isSettable } from '../rules/schema.ts';
import { constraintsOf } from './constraints.ts';
import type { Constraint, Draft, SearchedRecords } from './constraints.ts';
import type { Row } from './records.ts';
import { isTaken } from './taken.ts';
import { keyTextOf } from './records.ts';
import type { Surroundings } from './related.ts';
import { solve } from './solve.ts';
import type { MoreValues } from './solve.ts';
import { amountMember } from './stock.ts';

type Values = Readonly<Record<string, FieldValue>>;

/** What records are looked for with. */
export interface Finding {
  /** The records that are there already. */
  readonly around: Surroundings;
  /** Records that were made up before, which unique values must not repeat. */
  readonly earlier: (model: string) => readonly Row[];
  /** Another number each time. */
  turn(): number;
  /** A value that keeps the rules of a field, another one for each turn; undefined where none is known. */
  value(model: Model, field: Field, turn: number): FieldValue | undefined;
  /** Whether records of a model may be made for others that refer to them; the others refer to what is there. */
  mayMake(model: Model): boolean;
  /** Whether a member that need not be given is given. */
  isGiven(field: Field): boolean;
}

/** A record that is wanted. */
export interface Wanted {
  /** Values that it must have, whether they keep rules or not. */
  readonly given?: Values | undefined;
  /** Members that are left out. */
  readonly without?: readonly string[] | undefined;
  /** Records that it refers to, by the members of its relations. */
  readonly parents?: Readonly<Record<string, Wanted>> | undefined;
  /** A draw that it must make: it takes something. */
  readonly drawing?: Draw | undefined;
  /** Values to begin with, which may be changed. */
  readonly start?: Values | undefined;
  /** Whether its values must be unique; they must where this is left out. */
  readonly unique?: boolean | undefined;
  /** Whether what it draws must be there; it must where this is left out. */
  readonly draws?: boolean | undefined;
  /** A rule across fields that it must break, and no other. */
  readonly broken?: Model['rules'][number] | undefined;
}

/** A record that keeps everything, after those made for it, in the order in which they must be made. */
export interface FoundRecord {
  readonly drafts: readonly Draft[];
  /** What stands in the way, in words; undefined where all is well. */
  readonly obstacle?: string | undefined;
}

/** How often a search begins anew. */
const TRIES = 4;

/** Begins the key of a record that is yet to be made. */
const PLACEHOLDER = 'to be made: ';

/** Finds a record that keeps the rules of its fields, those across them and along relations, unique sets and draws. */
export function findRecord(finding: Finding, model: Model, wanted: Wanted = {}): FoundRecord {
  let found: FoundRecord = { drafts: [], obstacle: 'nothing was tried' };
  for (let tried = 0; tried < TRIES; tried += 1) {
    // Examples are the developer's help: only where nothing goes with them they are left.
    found = attempt(finding, model, wanted, tried < TRIES - 1);
    if (found.obstacle === undefined || found.drafts.length === 0) return found;
  }
  return found;
}

function attempt(finding: Finding, model: Model, wanted: Wanted, withExamples: boolean): FoundRecord {
  const drafts: Draft[] = [];
  const begun = begin(finding, model, wanted, withExamples, [], drafts);
  if (typeof begun === 'string') return { drafts: [], obstacle: begun };
  const records = withDrafts(finding, drafts);
  const around = { ...finding.around, records };
  const constraints = drafts.flatMap((draft): Constraint[] =>
    constraintsOf(around, draft, draft === begun ? wanted : {}),
  );
  const still = solve(around, drafts, constraints, moreFor(finding, drafts));
  return { drafts: inUse(drafts, begun), ...(still === undefined ? {} : { obstacle: still.words }) };
}

/** The records that are there, and the drafts among them. */
function withDrafts({ around, earlier }: Finding, drafts: readonly Draft[]): SearchedRecords {
  const there = around.records;
  const made = (name: string): Row[] => drafts.filter(({ model }) => model.name === name).map(({ values }) => values);
  return {
    allOf: (name) => [...there.allOf(name), ...made(name)],
    madeUp: (name) => [...earlier(name), ...made(name)],
    hasAlike: (model, set, values) => isTaken(there, model, set, values),
    byKey(name, key) {
      const draft = draftAt(drafts, key);
      return draft === undefined ? there.byKey(name, key) : draft.values;
    },
  };
}

const placeholderOf = (model: Model, at: number): string => `${PLACEHOLDER}${model.name} ${at}`;

/** The draft that a key stands for. */
export function draftAt(drafts: readonly Draft[], key: FieldValue | undefined): Draft | undefined {
  if (typeof key !== 'string' || !key.startsWith(PLACEHOLDER)) return undefined;
  return drafts.find((draft) => draft.placeholder === key);
}

/** Without drafts that nothing refers to any more. */
function inUse(drafts: readonly Draft[], main: Draft): Draft[] {
  const used = new Set<Draft>([main]);
  for (const draft of used) {
    for (const { field } of draft.model.relations) {
      const other = draftAt(drafts, draft.values[field.member]);
      if (other !== undefined) used.add(other);
    }
  }
  return drafts.filter((draft) => used.has(draft));
}

/** Begins a draft with values that keep the rules of each field, after those of the records that it refers to. */
function begin(
  finding: Finding,
  model: Model,
  wanted: Wanted,
  withExamples: boolean,
  trail: readonly string[],
  drafts: Draft[],
): Draft | string {
  const { given = {}, without = [] } = wanted;
  const now = finding.around.now();
  const fixed = new Set<string>([...Object.keys(given), ...without]);
  const values: Record<string, FieldValue> = {};
  for (const { member, rules } of model.fields) values[member] = rules.default ?? null;
  for (const { member } of linkedOf(model)) values[member] = [];
  for (const [member, expression] of model.defaults)
    values[member] = evaluate(expression, { values: {}, now, caller: null });
  const inside = [...trail, model.name];
  for (const field of model.fields) {
    const { member } = field;
    if (Object.hasOwn(given, member)) values[member] = given[member]!;
    if (fixed.has(member) || !isSettable(field, 'create')) continue;
    if (wanted.start !== undefined) {
      values[member] = wanted.start[member] ?? values[member] ?? null;
      continue;
    }
    if (field.refersTo !== undefined) {
      const target = modelOf(finding.around.graph, field.refersTo);
      const key = reference(finding, field, target, wanted.parents?.[member], withExamples, inside, drafts);
      if (typeof key === 'object' && key !== null) return key.obstacle;
      values[member] = key;
      continue;
    }
    const value = firstValue(finding, model, field, withExamples, fixed);
    if (value === undefined && field.rules.required && !field.rules.hasDefault)
      return `no valid value of ${model.name}.${member} is known: give it examples, or samples`;
    if (value !== undefined) values[member] = value;
  }
  const placeholder = placeholderOf(model, finding.turn());
  if (model.keyKind !== 'field') values[model.key.member] = placeholder;
  const draft: Draft = { model, values, fixed, placeholder };
  drafts.push(draft);
  return draft;
}

function reference(
  finding: Finding,
  field: Field,
  target: Model,
  wanted: Wanted | undefined,
  withExamples: boolean,
  inside: readonly string[],
  drafts: Draft[],
): string | number | boolean | null | { obstacle: string } {
  const isNeeded = field.rules.required;
  let obstacle = `records need each other in a circle: ${[...inside, target.name].join(', ')}`;
  if (!isNeeded && wanted === undefined && !finding.isGiven(field)) return null;
  if (finding.mayMake(target) && !inside.includes(target.name)) {
    const other = begin(finding, target, wanted ?? {}, withExamples, inside, drafts);
    if (typeof other !== 'string') return other.placeholder;
    obstacle = other;
  } else if (!finding.mayMake(target)) obstacle = `there is no ${target.name}`;
  const there = finding.around.records.allOf(target.name);
  if (there.length > 0 && (isNeeded || finding.isGiven(field))) {
    const row = there[finding.turn() % there.length]!;
    return row[target.key.member] as string | number;
  }
  return isNeeded ? { obstacle } : null;
}

function firstValue(
  finding: Finding,
  model: Model,
  field: Field,
  withExamples: boolean,
  fixed: Set<string>,
): FieldValue | undefined {
  const { member, rules } = field;
  const example = Object.hasOwn(model.trial.example, member) ? model.trial.example[member] : undefined;
  if (example !== undefined && withExamples) {
    fixed.add(member);
    const read = example === null ? { value: null } : canonical(field, example);
    return 'value' in read ? read.value : example;
  }
  const isNeeded = rules.required && !rules.hasDefault;
  if (!isNeeded && !finding.isGiven(field)) return undefined;
  if (field.drawnOn === true) {
    const stock = plenty(field);
    if (isSound(field, stock)) return stock;
  }
  // What is drawn is little, so that there is enough of it.
  const isDrawn = model.draws.some((draw) => amountMember(draw) === member);
  return finding.value(model, field, isDrawn ? finding.turn() % 3 : finding.turn());
}

/** The most records of a model that a relation is tried with. */
const MOST_OTHERS = 25;
const MORE_VALUES = 4;

const moreFor =
  (finding: Finding, drafts: readonly Draft[]): MoreValues =>
  ({ draft, field }) => {
    if (field.refersTo === undefined) {
      return Array.from({ length: MORE_VALUES }, () => finding.value(draft.model, field, finding.turn())).filter(
        (value) => value !== undefined,
      );
    }
    const target = modelOf(finding.around.graph, field.refersTo);
    const there = finding.around.records.allOf(target.name);
    const from = there.length === 0 ? 0 : finding.turn() % there.length;
    const keys = Array.from({ length: Math.min(MOST_OTHERS, there.length) }, (_none, at) => {
      return there[(from + at) % there.length]![target.key.member]!;
    });
    const made = drafts.filter((other) => other.model === target && other !== draft).map((one) => one.placeholder);
    return [...keys, ...made].filter((key) => keyTextOf(key) !== draft.placeholder);
  };
