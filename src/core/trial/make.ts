import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import { exampleValue } from '../rules/examples.ts';
import type { KnownValues } from '../rules/examples.ts';
import { isSettable } from '../rules/schema.ts';
import type { Draft } from '../search/constraints.ts';
import { draftAt, findRecord } from '../search/find-record.ts';
import type { Finding, FoundRecord, Wanted } from '../search/find-record.ts';
import type { Records, Row } from '../search/records.ts';
import type { Body, Step } from './case.ts';
import { pathOf } from './paths.ts';

/**
 * The steps that make a record and all that it can't be without, the body that made it, and the name of its kept key.
 */
export interface Making {
  readonly steps: readonly Step[];
  readonly body: Body;
  readonly kept: string;
  /** The record as it was found, which may refer to others that are made first. */
  readonly found: FoundRecord;
}

/** Makes up records that keep their rules, each another one. */
export interface Maker {
  readonly graph: Graph;
  /** The time of the trial, for rules that ask for it. */
  readonly now: Date;
  turn(): number;
  /** A value that a field may have, as `exampleValue`, with what the samples have of it. */
  example(model: Model, field: Field, turn: number): FieldValue | undefined;
  /** A record, whose steps carry what stands in its way, if anything does. */
  make(model: Model, wanted?: Wanted): Making;
  /** Why no valid record of a model can be made over HTTP; undefined where one can. */
  obstacle(model: Model): string | undefined;
  /** What a valid record is changed to: the same with another value of one member. */
  changed(making: Making, field: Field): FieldValue | undefined;
}

/** Records that were made up last: others must not be like them. */
const MOST_RECENT = 16;
/** How many values of a member are tried in the place of one. */
const TRIES = 12;

/** `there` are the samples. */
export function makerOf(graph: Graph, known: KnownValues, now: Date, there: Records): Maker {
  let count = 0;
  const recent: Draft[] = [];
  const obstacles = new Map<Model, string | undefined>();
  const turn = (): number => (count += 1);
  const example: Maker['example'] = ({ name }, field, at) =>
    exampleValue(field, at * STRIDE + spread(field.member), known.get(`${name}.${field.member}`) ?? []);
  const finding: Finding = {
    around: { graph, records: there, now: () => now },
    earlier: (name) => recent.filter(({ model }) => model.name === name).map(({ values }) => values),
    turn,
    value: example,
    mayMake: ({ endpoints }) => endpoints.has('create'),
    isGiven: () => true,
  };
  const make: Maker['make'] = (model, wanted) => {
    const found = findRecord(finding, model, wanted);
    recent.push(...found.drafts);
    recent.splice(0, Math.max(0, recent.length - MOST_RECENT));
    return makingOf(graph, found, wanted, turn);
  };
  return {
    graph,
    now,
    turn,
    example,
    make,
    obstacle(model) {
      if (!model.endpoints.has('create')) return `${model.name} has no create endpoint`;
      if (!obstacles.has(model)) obstacles.set(model, findRecord(finding, model).obstacle);
      return obstacles.get(model);
    },
    changed({ found }, field) {
      const { model, values } = found.drafts.at(-1)!;
      const wanted = (value: FieldValue): Wanted => ({
        given: { ...valuesOf(model, values), [field.member]: value },
      });
      for (let tried = 0; tried < TRIES; tried += 1) {
        const value = example(model, field, turn());
        if (value === undefined || JSON.stringify(value) === JSON.stringify(values[field.member])) continue;
        const around = { ...finding.around, records: withFound(there, found) };
        const others: Finding = { ...finding, around, earlier: () => [] };
        if (findRecord(others, model, wanted(value)).obstacle === undefined) return value;
      }
      return undefined;
    },
  };
}

/** Values of one record that follow from one turn are not alike. */
const STRIDE = 7;
function spread(text: string): number {
  let sum = 0;
  for (const letter of text) sum = (sum * 31 + letter.codePointAt(0)!) % 9_973;
  return sum;
}

/** The records that are there; keys lead to those that were found, too. */
function withFound(records: Records, { drafts }: FoundRecord): Records {
  return {
    allOf: records.allOf,
    byKey: (name, key) => draftAt(drafts, key)?.values ?? records.byKey(name, key),
  };
}

const valuesOf = (model: Model, values: Row): Record<string, FieldValue> =>
  Object.fromEntries(
    model.fields
      .filter((field) => isSettable(field, 'create'))
      .map(({ member }): [string, FieldValue] => [member, values[member] ?? null]),
  );

function makingOf(graph: Graph, found: FoundRecord, wanted: Wanted | undefined, turn: () => number): Making {
  const { drafts, obstacle } = found;
  const names = new Map(drafts.map((draft) => [draft, `${draft.model.name}${turn()}`]));
  const blocked = obstacle === undefined ? {} : { obstacle };
  const all = drafts.map((draft, at) => {
    const isLast = at === drafts.length - 1;
    const body = bodyOf(draft, drafts, names, isLast ? wanted : undefined);
    const pointer = `/data/${draft.model.key.member}`;
    const keep = { name: names.get(draft)!, pointer };
    const step: Step = {
      method: 'POST',
      path: pathOf(graph, draft.model),
      body,
      expect: { status: 201 },
      keep,
      ...blocked,
    };
    return { step, body, kept: keep.name };
  });
  const last = all.at(-1) ?? { body: {}, kept: 'nothing' };
  const none: Step[] = [{ method: 'GET', path: '/', expect: { status: 200 }, ...blocked }];
  return { steps: all.length === 0 ? none : all.map(({ step }) => step), body: last.body, kept: last.kept, found };
}

/** What a client sends to make a record: keys of others that are yet to be made are names of what was kept. */
function bodyOf(
  { model, values }: Draft,
  drafts: readonly Draft[],
  names: ReadonlyMap<Draft, string>,
  { given = {}, without = [] }: Wanted = {},
): Body {
  const members = model.fields.flatMap((field): [string, unknown][] => {
    const { member } = field;
    const value = values[member] ?? null;
    const isNamed = Object.hasOwn(given, member);
    if (without.includes(member) || !isSettable(field, 'create') || (value === null && !isNamed)) return [];
    const draft = field.refersTo === undefined ? undefined : draftAt(drafts, value);
    return [[member, draft === undefined ? value : { kept: names.get(draft)! }]];
  });
  return Object.fromEntries(members);
}
