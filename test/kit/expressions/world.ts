import { compile } from '../../../src/core/compile.ts';
import type { RecordValues } from '../../../src/core/expression/evaluate.ts';
import { letters } from '../../../src/core/expression/letters.ts';
import type { NameScope } from '../../../src/core/expression/name-scope.ts';
import type { Graph } from '../../../src/core/model/graph.ts';
import type { FieldValue } from '../../../src/core/model/scalar.ts';

/** Models with a field of every kind that expressions know, and every kind of relation. */
export const MODELS = `
model: thing
fields:
  word: { type: string }
  other: { type: text }
  kind: { enum: [red, green, blue] }
  whole: { type: integer }
  count: { type: integer }
  real: { type: number }
  price: { type: decimal, scale: 2 }
  exact: { type: decimal, scale: 5 }
  flag: { type: boolean }
  day: { type: date }
  at: { type: date-time }
  time: { type: time }
  code: { type: uuid }
  tags: { type: array, items: { type: string } }
  sizes: { type: array, items: { type: integer } }
  costs: { type: array, items: { type: decimal, scale: 2 } }
  place: { type: object, properties: { lat: { type: number }, name: { type: string }, cost: { type: decimal }, deep: { type: object, properties: { n: { type: integer } } } } }
  any: { type: json }
  hidden: { type: string, writeOnly: true }
relations:
  up: { to: thing }
  marks: { with: mark }
  downs: { from: thing.up }
  notes: { from: note.thing }
  card: { from: card.thing, one: true }
computed:
  double: { type: integer, value: "whole * 2" }
stamps: false
---
model: mark
key: name
fields: { name: { type: string }, weight: { type: integer } }
relations: { things: { from: thing.marks } }
stamps: false
---
model: note
fields: { cost: { type: decimal }, size: { type: integer }, ratio: { type: number }, on: { type: date } }
relations: { thing: { to: thing } }
stamps: false
---
model: card
fields: { text: { type: string } }
relations: { thing: { to: thing } }
stamps: false
---
model: member
fields:
  email: { type: email, required: true, unique: true }
  secret: { type: secret }
  roles: { type: array, items: { enum: [walker, steward] } }
stamps: false
`;

const compiled = compile({
  service: {
    file: 'vantfell.yaml',
    text: 'service: { name: X }\nidentity: { model: member, login: email, secret: secret, roles: roles }\n',
  },
  models: [{ file: 'models.yaml', text: MODELS }],
  environment: {},
});

export const { problems } = compiled;
export const graph: Graph = compiled.graph!;

/** The meaning of names in an expression over the things, as a client or as the author of the models. */
export function scopeOver(model: string, author = false): NameScope {
  const found = graph.byName.get(model)!;
  const computedOf = (name: string) => graph.byName.get(name)?.computed ?? [];
  return {
    model: found,
    models: graph.byName,
    computed: (name, value) => computedOf(name).find(({ member }) => member === value)?.value,
    computedNames: (name) => computedOf(name).map(({ member }) => member),
    letters,
    caller: { key: graph.byName.get('member')!.key, roles: ['walker', 'steward'] },
    ...(author ? { strange: () => undefined } : {}),
  };
}

/** Records of all models, and who is linked with whom. */
export interface World {
  readonly records: Readonly<Record<string, readonly RecordValues[]>>;
  /** `thing`'s links with marks: pairs of keys. */
  readonly links: readonly (readonly [FieldValue, FieldValue])[];
}

/** The records at the other end, found by looking through all of them. */
export function relatedIn(world: World) {
  return (via: { name: string }, target: string, values: RecordValues): RecordValues[] => {
    const all = world.records[target] ?? [];
    if ('table' in via && target === 'thing') {
      const near = world.links.filter(([, key]) => key === values.name).map(([key]) => key);
      return all.filter(({ id }) => near.includes(id ?? null));
    }
    if ('table' in via) {
      const far = world.links.filter(([near]) => near === values.id).map(([, key]) => key);
      return all.filter(({ name }) => far.includes(name ?? null));
    }
    if ('relation' in via)
      return all.filter((other) => other[`${String(via.relation)}_id`] === values.id && values.id !== null);
    const key = values[`${via.name}_id`];
    return key === null || key === undefined ? [] : all.filter(({ id }) => id === key);
  };
}
