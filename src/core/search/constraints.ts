import type { Expression } from '../model/expression.ts';
import { modelOf } from '../model/graph.ts';
import type { Field } from '../model/field.ts';
import type { Draw, Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import { isSame } from '../model/value.ts';
import type { Records, Row } from './records.ts';
import { valueOver } from './related.ts';
import type { Surroundings } from './related.ts';
import { lowestOf, shareOf, unitsOf, valueOfUnits } from './stock.ts';

/** A record that is being looked for. It changes until it is valid. */
export interface Draft {
  readonly model: Model;
  values: Record<string, FieldValue>;
  /** Members whose values are given. */
  readonly fixed: ReadonlySet<string>;
  /** Stands for its key in records that refer to it. */
  readonly placeholder: string;
}

/** Something that a draft must keep. */
export interface Constraint {
  readonly draft: Draft;
  /** For people: `leaves_at must be after arrives_at`. */
  readonly words: string;
  isBroken(): boolean;
  /** What is compared: the values in it are those to try. */
  readonly expressions: readonly Expression[];
  /** Members of the draft that it depends on, beside those in the expressions. */
  readonly members: readonly string[];
  /** Other values worth trying. */
  values?(): readonly FieldValue[];
}

/** Records that are there, and drafts. */
export interface SearchedRecords extends Records {
  /** Drafts, and records that were made up before. */
  madeUp(model: string): readonly Row[];
  /** Whether a record that is there has these values in a unique set. */
  hasAlike(model: string, set: readonly Field[], values: Row): boolean;
}

/** What is let be, and what must be broken. */
export interface Exceptions {
  readonly broken?: Model['rules'][number] | undefined;
  readonly unique?: boolean | undefined;
  readonly draws?: boolean | undefined;
  readonly drawing?: Draw | undefined;
}

/** Everything that a draft must keep beyond the rules of each field. `broken` is a rule that it must break instead. */
export function constraintsOf(
  around: Surroundings & { readonly records: SearchedRecords },
  draft: Draft,
  { broken, unique = true, draws = true, drawing }: Exceptions,
): Constraint[] {
  const { model } = draft;
  const rules = model.rules.map((rule): Constraint => {
    const isFalse = (): boolean => valueOver(around, rule.check, model, draft.values) === false;
    return {
      draft,
      words: rule === broken ? `not: ${rule.message}` : [rule.at, rule.message].filter(Boolean).join(' '),
      isBroken: rule === broken ? () => !isFalse() : isFalse,
      expressions: [rule.check],
      members: [],
    };
  });
  const sets = model.keyKind === 'field' ? [...model.unique, [model.key]] : model.unique;
  return [
    ...rules,
    ...(unique ? sets.map((set) => uniqueConstraint(around.records, draft, set)) : []),
    ...(drawing === undefined ? [] : [takingConstraint(around, draft, drawing)]),
    ...(draws ? model.draws.map((draw) => drawConstraint(around, draft, draw)) : []),
  ];
}

function uniqueConstraint(records: SearchedRecords, draft: Draft, set: readonly Field[]): Constraint {
  const { name } = draft.model;
  const members = set.map(({ member }) => member);
  const isAlike = (other: Row): boolean =>
    other !== draft.values && members.every((one) => isSame(other[one], draft.values[one]));
  return {
    draft,
    words: `${members.join(' and ')} must be unique`,
    isBroken: () =>
      members.every((member) => (draft.values[member] ?? null) !== null) &&
      (records.hasAlike(name, set, draft.values) || records.madeUp(name).some(isAlike)),
    expressions: [],
    members,
  };
}

/** A record must take something. */
function takingConstraint(around: Surroundings, draft: Draft, draw: Draw): Constraint {
  return {
    draft,
    words: `${draft.model.name} takes nothing of ${draw.from}.${draw.field.member}`,
    isBroken: () => shareOf(draft.model, draw, draft.values, { now: around.now(), caller: null }).amount <= 0n,
    expressions: [draw.amount, ...(draw.while === undefined ? [] : [draw.while])],
    members: [draw.relation.field.member],
  };
}

/** What is drawn must be there. */
function drawConstraint(around: Surroundings, draft: Draft, draw: Draw): Constraint {
  const { model } = draft;
  const { field, relation } = draw;
  const share = () => shareOf(model, draw, draft.values, { now: around.now(), caller: null });
  const stockAt = (): Row | undefined => around.records.byKey(draw.from, draft.values[relation.field.member]);
  const left = (): bigint => {
    const stock = stockAt()?.[field.member] ?? null;
    return stock === null ? 0n : unitsOf(stock as string | number, field) - lowestOf(field);
  };
  return {
    draft,
    words: `${model.name} draws on ${draw.from}.${field.member}, of which too little is left`,
    isBroken() {
      const { amount, isWrong } = share();
      return isWrong || (amount > 0n && amount > left());
    },
    expressions: [draw.amount, ...(draw.while === undefined ? [] : [draw.while]), stockExpression(around, draw)],
    members: [relation.field.member],
    values: () => [valueOfUnits(left(), field), valueOfUnits(lowestOf(field) + share().amount, field)],
  };
}

/** The stock that a record draws on, as an expression over that record. */
function stockExpression({ graph }: Surroundings, { relation, from, field }: Draw): Expression {
  const type = { kind: field.type === 'decimal' ? 'decimal' : 'integer', scale: field.scale } as const;
  const of: Expression = { op: 'field', field, inside: [], type };
  return { op: 'at', step: relation, target: modelOf(graph, from).name, of, type };
}
