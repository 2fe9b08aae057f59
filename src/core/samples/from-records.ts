import type { EvaluationContext } from '../expression/context.ts';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import type { FieldValue } from '../model/scalar.ts';
import { isMadeByService } from '../model/stamps.ts';
import { isWritten } from '../model/types.ts';
import { exampleValue } from '../rules/examples.ts';
import { keyTextOf } from '../search/records.ts';
import type { Row } from '../search/records.ts';
import { shareOf, unitsOf, valueOfUnits } from '../search/stock.ts';
import type { Masks } from './mask.ts';

/** What a file of samples holds: the members of each record by its handle. */
export type Samples = ReadonlyMap<string, Readonly<Record<string, unknown>>>;

/** Samples that were made of records, and what of these is not in them. */
export interface Taken {
  readonly samples: ReadonlyMap<string, Samples>;
  /** Links to records that were not taken, by `hut.amenities`. */
  readonly cut: ReadonlyMap<string, number>;
  /** What is never shown and must be there, with the value that was made up for all, by `member.passphrase`. */
  readonly secrets: ReadonlyMap<string, FieldValue>;
  /** What is never shown and need not be there. */
  readonly leftOut: readonly string[];
}

/** What samples are made of. */
export interface Records {
  readonly rows: ReadonlyMap<string, readonly Row[]>;
  /** The keys of records that were samples before, by `hut/grey-hut`. */
  readonly known: ReadonlyMap<string, unknown>;
}

/**
 * Records as samples that make the same ones again: with handles in place of keys that the service makes, and without
 * stamps and members that are never shown. Whatever they refer to is among them.
 */
export function samplesOf(graph: Graph, { rows, known }: Records, masks: Masks, evaluation: EvaluationContext): Taken {
  const before = new Map([...known].map(([name, key]) => [`${modelIn(name)}/${keyTextOf(key as FieldValue)}`, name]));
  const handles = new Map(
    graph.models.map((model) => [model.name, handlesOf(model, rows.get(model.name) ?? [], before, masks)]),
  );
  const cut = new Map<string, number>();
  const secrets = new Map<string, FieldValue>();
  const entryOf = entriesWith({ handles, drawn: drawnFrom(graph, rows, evaluation), masks, cut, secrets });
  const samples = new Map(
    graph.models.map((model) => {
      const own = handles.get(model.name)!;
      const all = rows.get(model.name) ?? [];
      return [model.name, new Map(all.map((row) => [own.get(keyOf(model, row))!, entryOf(model, row)]))];
    }),
  );
  const leftOut = graph.models.flatMap(({ name, fields }) =>
    fields.filter(({ rules }) => rules.writeOnly && !rules.required).map(({ member }) => `${name}.${member}`),
  );
  return { samples, cut, secrets, leftOut };
}

const keyOf = ({ key }: Model, row: Row): string => keyTextOf(row[key.member]);

interface Making {
  /** By model and key. */
  readonly handles: ReadonlyMap<string, ReadonlyMap<string, string>>;
  readonly drawn: ReturnType<typeof drawnFrom>;
  readonly masks: Masks;
  /** These two are filled on the way. */
  readonly cut: Map<string, number>;
  readonly secrets: Map<string, FieldValue>;
}

function entriesWith({ handles, drawn, masks, cut, secrets }: Making) {
  const secretOf = (name: string, field: Field): FieldValue => {
    const called = `${name}.${field.member}`;
    if (!secrets.has(called)) secrets.set(called, exampleValue(field, 1, []) ?? null);
    return secrets.get(called)!;
  };
  const linked = (called: string, target: string, keys: readonly FieldValue[]): readonly string[] => {
    const known = handles.get(target)!;
    const taken = keys.map((key) => known.get(keyTextOf(key))).filter((handle) => handle !== undefined);
    if (taken.length < keys.length) cut.set(called, (cut.get(called) ?? 0) + keys.length - taken.length);
    return taken;
  };

  return (model: Model, row: Row): Record<string, unknown> => {
    const entry: Record<string, unknown> = {};
    for (const field of model.fields) {
      const { member, rules } = field;
      if (isMadeByService(model, field) || (rules.writeOnly && !rules.required)) continue;
      const value = row[member] ?? null;
      const relation = model.relations.find((one) => one.field === field);
      if (rules.writeOnly) entry[member] = secretOf(model.name, field);
      else if (value === null && !isFilled(model, field)) continue;
      else if (relation === undefined) entry[member] = masks.of(model, field, drawn.before(model, field, row, value));
      else
        entry[relation.name] = value === null ? null : (handles.get(relation.target)!.get(keyTextOf(value)) ?? value);
    }
    for (const { name, member, target } of linkedOf(model)) {
      const taken = linked(`${model.name}.${name}`, target, (row[member] ?? []) as readonly FieldValue[]);
      if (taken.length > 0) entry[name] = taken;
    }
    return entry;
  };
}

/** Whether a field that is left out gets a value. */
const isFilled = (model: Model, field: Field): boolean =>
  field.rules.default !== undefined ||
  field.derivedFrom !== undefined ||
  model.madeDefaults.some((made) => made.field === field);

const modelIn = (sample: string): string => sample.slice(0, sample.indexOf('/'));

const PLAIN = /^[a-z][a-z0-9]*(-[a-z0-9]+)*$/i;

/**
 * The handles of records by their keys: that which a record had as a sample, a key that reads like one, or a number. A
 * handle may tell what a mask hides.
 */
function handlesOf(
  model: Model,
  rows: readonly Row[],
  before: ReadonlyMap<string, string>,
  masks: Masks,
): ReadonlyMap<string, string> {
  const { name, key, keyKind } = model;
  const isMasked = model.fields.some((field) => masks.isMasked(field));
  const isTold = keyKind === 'field' && isWritten(key.type);
  const told = (text: string): string | undefined => {
    if (isMasked) return undefined;
    const sample = before.get(`${name}/${text}`)?.slice(name.length + 1);
    return sample ?? (isTold && PLAIN.test(text) ? text : undefined);
  };
  const keys = rows.map((row) => keyOf(model, row));
  const given = new Map<string, string>();
  const taken = new Set<string>();
  for (const text of keys) {
    const handle = told(text);
    if (handle === undefined || taken.has(handle)) continue;
    given.set(text, handle);
    taken.add(handle);
  }
  let number = 0;
  for (const text of keys) {
    if (given.has(text)) continue;
    do number += 1;
    while (taken.has(`${name}-${number}`));
    given.set(text, `${name}-${number}`);
  }
  return given;
}

/**
 * The stock that samples say is what there was before other samples drew on it: what they draw is added to what is
 * left.
 */
function drawnFrom(graph: Graph, records: ReadonlyMap<string, readonly Row[]>, evaluation: EvaluationContext) {
  const units = new Map<string, bigint>();
  const nameOf = (model: string, field: Field, key: FieldValue): string => `${model}.${field.member} ${keyTextOf(key)}`;
  for (const model of graph.models) {
    for (const draw of model.draws) {
      for (const row of records.get(model.name) ?? []) {
        const { key, amount } = shareOf(model, draw, row, evaluation);
        if (key === null || amount === 0n) continue;
        const name = nameOf(draw.from, draw.field, key);
        units.set(name, (units.get(name) ?? 0n) + amount);
      }
    }
  }
  return {
    before(model: Model, field: Field, row: Row, value: FieldValue): FieldValue {
      const more = units.get(nameOf(model.name, field, row[model.key.member]!));
      if (more === undefined || value === null) return value;
      return valueOfUnits(unitsOf(value as string | number, field) + more, field);
    },
  };
}
