import { isReadByAll } from '../access/open.ts';
import { evaluate } from '../expression/evaluate.ts';
import type { Field } from '../model/field.ts';
import { modelOf } from '../model/graph.ts';
import type { Graph } from '../model/graph.ts';
import { joinedKey } from '../model/joined-key.ts';
import type { Model } from '../model/model.ts';
import { linkedOf } from '../model/related.ts';
import type { FieldValue, Scalar } from '../model/scalar.ts';
import { canonical } from '../model/value.ts';
import { viewOf } from '../query/projection.ts';
import { exampleValue, inCase, isSound } from '../rules/examples.ts';
import { memberField } from '../samples/read.ts';
import { capitalized, spoken } from '../text/names.ts';
import type { Documented } from './documented.ts';

/** The document is the same on every day. */
const SOME_DAY = new Date('2026-06-01T10:00:00.000Z');

/**
 * A record that a document may show to everybody: values of the samples where anybody may read them, and made-up ones
 * elsewhere. Undefined where none can be made up.
 */
export function recordExample({ graph, samples }: Documented, model: Model): Record<string, FieldValue> | undefined {
  const stored = storedExample(graph, model, samples);
  if (stored === undefined) return undefined;
  const shown = viewOf(graph, model, 'default').map((member): [string, FieldValue | undefined] => {
    if (member.kind === 'computed') return [member.name, worked(member.computed.value, stored)];
    return [
      member.name,
      member.kind === 'field' && member.inside === undefined
        ? stored[member.name]
        : member.kind === 'keys'
          ? keysExample(graph, model, member.name, samples)
          : null,
    ];
  });
  return Object.fromEntries(shown.filter((one): one is [string, FieldValue] => one[1] !== undefined));
}

/** What a client could send of these members. */
export function bodyExample(
  { graph, samples }: Documented,
  model: Model,
  members: readonly string[],
): Record<string, FieldValue> | undefined {
  const stored = storedExample(graph, model, samples);
  if (stored === undefined) return undefined;
  const given = members.map(
    (name) =>
      [
        name,
        linkedOf(model).some(({ member }) => member === name) ? keysExample(graph, model, name, samples) : stored[name],
      ] as const,
  );
  return Object.fromEntries(
    given.filter((one): one is [string, FieldValue] => one[1] !== undefined && one[1] !== null),
  );
}

type Samples = Documented['samples'];

function storedExample(graph: Graph, model: Model, samples: Samples): Record<string, FieldValue> | undefined {
  const values: Record<string, FieldValue> = {};
  for (const field of model.fields) {
    const value = fieldExample(graph, model, field, samples);
    if (value === undefined) {
      if (field.rules.required) return undefined;
      values[field.member] = null;
    } else values[field.member] = value;
  }
  return values;
}

const isForAll = (model: Model, member: string): boolean => isReadByAll(model) && !model.access.fields.has(member);

function fieldExample(graph: Graph, model: Model, field: Field, samples: Samples): FieldValue | undefined {
  if (field.refersTo !== undefined) return keyExample(graph, modelOf(graph, field.refersTo), samples);
  if (field === model.key) return keyExample(graph, model, samples);
  if (field.origin === 'stamp') return SOME_DAY.toISOString();
  const [own] = field.examples;
  if (own !== undefined) return own;
  const sampled = isForAll(model, field.member) ? sampleOf(model, field, samples) : undefined;
  if (sampled !== undefined) return sampled;
  if (field.rules.default !== undefined) return field.rules.default;
  return madeUp(field);
}

/** The value of the first sample, where it is one of the declared type. */
function sampleOf(model: Model, field: Field, samples: Samples): FieldValue | undefined {
  const row = samples.get(model.name) ?? {};
  const named = Object.keys(row).find((name) => memberField(model, name) === field);
  const value = named === undefined ? undefined : row[named];
  if (value === undefined || value === null) return undefined;
  const read = canonical(field, value);
  return 'value' in read && read.value !== null && isSound(field, read.value) ? read.value : undefined;
}

function madeUp(field: Field): FieldValue | undefined {
  const isPlain =
    (field.type === 'string' || field.type === 'text') &&
    field.rules.enum === undefined &&
    field.rules.const === undefined;
  const words = inCase(field, capitalized(spoken(field.member)));
  if (isPlain && isSound(field, words)) return words;
  return exampleValue(field, 1, []);
}

/** A key that any record of a model might have. */
function keyExample(graph: Graph, model: Model, samples: Samples): FieldValue | undefined {
  if (model.key.parts !== undefined) {
    const parts = model.key.parts.map((part) => fieldExample(graph, model, part, samples) as Scalar | undefined);
    return parts.includes(undefined) ? undefined : joinedKey(parts as Scalar[]);
  }
  if (model.keyKind === 'serial') return 1;
  if (model.keyKind === 'field') {
    const sampled = isForAll(model, model.key.member) ? sampleOf(model, model.key, samples) : undefined;
    return model.key.examples[0] ?? sampled ?? madeUp(model.key);
  }
  // One for each model, so that it shows where the same record is meant.
  const place = graph.models.indexOf(model) + 1;
  return `019e8254-1c00-7000-8000-${place.toString(16).padStart(12, '0')}`;
}

function keysExample(graph: Graph, model: Model, member: string, samples: Samples): FieldValue {
  const links = linkedOf(model).find((one) => one.member === member)!;
  const key = keyExample(graph, modelOf(graph, links.target), samples);
  return key === undefined ? [] : [key];
}

/** A computed value of an example, as if no record were related to it. */
function worked(value: Parameters<typeof evaluate>[0], values: Record<string, FieldValue>): FieldValue {
  try {
    return evaluate(value, { values, now: SOME_DAY, caller: null, related: () => [] });
  } catch {
    return null;
  }
}
