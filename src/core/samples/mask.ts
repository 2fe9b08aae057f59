import { base, en, Faker } from '@faker-js/faker';
import type { Field } from '../model/field.ts';
import type { Graph } from '../model/graph.ts';
import type { Model } from '../model/model.ts';
import type { FieldValue } from '../model/scalar.ts';
import { isMadeByService } from '../model/stamps.ts';
import { didYouMean } from '../text/nearest.ts';
import { plausibleValue } from './plausible.ts';

/** Values that are made up in place of those that nobody is to see: the same for the same. */
export interface Masks {
  /** The fields, as they were named. */
  readonly named: readonly string[];
  isMasked(field: Field): boolean;
  /** The value itself, where its field is not masked. Throws `NoMask` where no other can be found. */
  of(model: Model, field: Field, value: FieldValue): FieldValue;
}

/** A field can't be masked: the message says why, the remedy what to do. */
export class NoMask extends Error {
  readonly remedy: string;
  constructor(message: string, remedy: string) {
    super(message);
    this.name = 'NoMask';
    this.remedy = remedy;
  }
}

const TRIES = 200;

/** `named` are fields, as `member.email`. Throws `NoMask` for one that is none, or that can't be masked. */
export function masksOf(graph: Graph, named: readonly string[], random: number): Masks {
  const faker = new Faker({ locale: [en, base], seed: random });
  const masked = new Map(named.map((name) => [fieldNamed(graph, name), new Map<string, FieldValue>()]));
  return {
    named,
    isMasked: (field) => masked.has(field),
    of(model, field, value) {
      const known = masked.get(field);
      if (known === undefined || value === null) return value;
      const text = JSON.stringify(value);
      if (!known.has(text)) known.set(text, madeUp(model, field, new Set(known.values()), faker));
      return known.get(text)!;
    },
  };
}

/** Different values stay different where two alike would be refused. */
function madeUp(model: Model, field: Field, taken: ReadonlySet<FieldValue>, faker: Faker): FieldValue {
  const isUnique = field === model.key || model.unique.some((set) => set.includes(field));
  for (let tried = 0; tried < TRIES; tried += 1) {
    const value = plausibleValue(model, field, faker);
    if (value !== undefined && !(isUnique && taken.has(value))) return value;
  }
  const message = `no more values were found for ${model.name}.${field.member} that keep its rules`;
  throw new NoMask(message, 'take fewer rows, or give the field a rule that more values keep');
}

function fieldNamed(graph: Graph, name: string): Field {
  const [of = '', member = '', ...rest] = name.split('.');
  const model = graph.byName.get(of);
  if (model === undefined || rest.length > 0)
    throw new NoMask(
      `--mask: ${name} is no field`,
      `write one as member.email: ${didYouMean(of, graph.byName.keys())}`,
    );
  const field = model.byMember.get(member);
  if (field === undefined) {
    const known = model.fields.filter(({ origin }) => origin === 'field').map((one) => one.member);
    throw new NoMask(`--mask: ${of} has no field ${member}`, didYouMean(member, known));
  }
  if (field.origin !== 'relation' && !isMadeByService(model, field)) return field;
  const why = field.origin === 'relation' ? 'leads to another record, which a handle stands for' : 'is not in samples';
  throw new NoMask(`--mask: ${name} ${why}`, 'leave it out');
}
