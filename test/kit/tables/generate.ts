import fc from 'fast-check';
import { compile } from '../../../src/core/compile.ts';
import type { Graph } from '../../../src/core/model/graph.ts';

/** Declarations as plain values: JSON is YAML. */
interface ModelSpec {
  model: string;
  key?: 'serial' | readonly string[];
  table?: string;
  stamps: boolean | object;
  fields: Record<string, Record<string, unknown>>;
  relations?: Record<string, Record<string, unknown>>;
  unique?: string[][];
  index?: string[][];
}

/** A project that grows: its models before and after, and what its developer says of names. */
export interface Growth {
  readonly before: Graph;
  readonly after: Graph;
  readonly renames: ReadonlyMap<string, string>;
  /** As a failure shows it. */
  readonly [fc.toStringMethod]: () => string;
}

const MODELS = ['hut', 'member', 'stay'];
const FIELDS = ['name', 'size', 'opened', 'price', 'note'];

/** What objects hold. */
const inside = fc.dictionary(
  fc.constantFrom('street', 'road', 'zip'),
  fc.record({ type: fc.constantFrom('string', 'integer', 'boolean'), required: fc.boolean() }),
  { minKeys: 1, maxKeys: 3 },
);

const field = fc.oneof(
  fc.record({
    type: fc.constantFrom('string', 'text'),
    maxLength: fc.integer({ min: 40, max: 60 }),
    required: fc.boolean(),
  }),
  fc.record({ type: fc.constant('integer'), required: fc.boolean() }),
  fc.record({
    type: fc.constant('integer'),
    minimum: fc.integer({ min: -2, max: 3 }),
    maximum: fc.integer({ min: 4, max: 9 }),
  }),
  fc.record({ type: fc.constant('decimal'), scale: fc.integer({ min: 0, max: 3 }), required: fc.boolean() }),
  fc.record({
    type: fc.constantFrom('number', 'boolean', 'date', 'date-time', 'time', 'uuid'),
    required: fc.boolean(),
  }),
  fc.record({ enum: fc.constantFrom(['a', 'b'], ['b', 'c']), default: fc.constant('b'), required: fc.boolean() }),
  fc.record({ type: fc.constantFrom('json', 'secret', 'email') }),
  fc.record({ type: fc.constant('object'), properties: inside }),
  fc.record({ type: fc.constant('array'), items: fc.record({ type: fc.constant('object'), properties: inside }) }),
);

/** The fields that a hut's key is made of, which stay as they are. */
const KEY = { row: { type: 'integer' }, place: { type: 'string', maxLength: 20 } };

/** A name as only people give it. */
const oddName = (name: string): string => `The ${name} (größe), it's 5 % ?1 $1`;

const model = (name: string): fc.Arbitrary<ModelSpec> => {
  const others = MODELS.filter((other) => other !== name);
  const relations = fc.record(
    {
      parent: fc.record({ to: fc.constant(name), onDelete: fc.constantFrom('restrict', 'clear') }),
      friend: fc.record({ to: fc.constantFrom(...others), onDelete: fc.constantFrom('restrict', 'cascade', 'clear') }),
      ...(name === 'hut'
        ? {}
        : { tags: fc.record({ with: fc.constantFrom(...others.filter((one) => one !== 'hut')) }) }),
    },
    { requiredKeys: [] },
  );
  return fc
    .record({
      fields: fc.dictionary(fc.constantFrom(...FIELDS), field, { maxKeys: 4 }),
      relations,
      stamps: fc.boolean(),
      sets: fc.subarray(FIELDS, { maxLength: 2 }),
      indexed: fc.boolean(),
      odd: fc.subarray(FIELDS, { maxLength: 2 }),
      oddTable: fc.boolean(),
    })
    .map(({ fields, relations: declared, stamps, sets, indexed, odd, oddTable }) => ({
      model: name,
      table: oddTable ? oddName(`${name}s`) : undefined,
      // What makes a key stays as it is.
      key: name === 'stay' ? 'serial' : name === 'hut' ? Object.keys(KEY) : undefined,
      stamps:
        stamps && oddTable ? { created: 'made_at', updated: { name: 'changed_at', column: 'Changed, at' } } : stamps,
      fields: Object.fromEntries(
        Object.entries(name === 'hut' ? { ...KEY, ...fields } : fields).map(([field, spec]) => [
          field,
          odd.includes(field) ? { ...spec, column: oddName(field) } : spec,
        ]),
      ),
      relations: { ...declared },
      ...listed(indexed ? 'index' : 'unique', sets, fields),
    }));
};

function listed(word: 'index' | 'unique', sets: string[], fields: object): Partial<ModelSpec> {
  const known = sets.filter((name) => Object.hasOwn(fields, name) && comparable(fields[name as never]));
  return known.length === 0 ? {} : { [word]: [known] };
}

/** Whether there are three different values of it. */
const comparable = ({ type }: { type?: string }): boolean =>
  type !== undefined && !['json', 'secret', 'boolean', 'object', 'array'].includes(type);

const project = fc.tuple(...MODELS.map(model));

function graphOf(models: readonly ModelSpec[]): Graph | undefined {
  return compile({
    service: { file: 'vantfell.yaml', text: 'service: { name: Grown }' },
    models: models.map((spec) => ({ file: `${spec.model}.yaml`, text: JSON.stringify(spec) })),
    environment: {},
  }).graph;
}

/** What a developer does to a project between two migrations. */
interface Edits {
  /** Each model's next declaration, or what it keeps of the one before. */
  readonly kept: readonly boolean[];
  readonly gone?: string;
  readonly newName?: string;
  readonly newField?: string;
  /** Two fields of the first model change places. */
  readonly swap?: boolean;
}

const edits: fc.Arbitrary<Edits> = fc.record(
  {
    kept: fc.tuple(...MODELS.map(() => fc.boolean())),
    gone: fc.constantFrom('hut', 'member', 'stay'),
    newName: fc.constantFrom('cabin', 'stay'),
    newField: fc.constantFrom('title', 'name', 'size'),
    swap: fc.boolean(),
  },
  { requiredKeys: ['kept'] },
);

function grown(before: readonly ModelSpec[], next: readonly ModelSpec[], said: Edits): Growth | undefined {
  const renames = new Map<string, string>();
  let models = before.map((spec, at) => structuredClone(said.kept[at] === true ? spec : next[at]!));
  if (said.gone !== undefined) models = models.filter((spec) => spec.model !== said.gone);
  const [first] = models;
  if (said.newName !== undefined && first !== undefined && !models.some((spec) => spec.model === said.newName)) {
    const old = first.model;
    renames.set(old, said.newName);
    models = JSON.parse(JSON.stringify(models).replaceAll(`"${old}"`, `"${said.newName}"`)) as ModelSpec[];
  }
  if (said.swap === true && first !== undefined && renames.size === 0) swapFields(before, models, renames);
  for (const spec of models) {
    for (const [name, relation] of Object.entries(spec.relations ?? {})) {
      if (!models.some((other) => other.model === (relation.to ?? relation.with))) delete spec.relations![name];
    }
  }
  const last = models.at(-1);
  const [old] = Object.keys(last?.fields ?? {});
  const known = before.find((spec) => spec.model === last?.model);
  if (
    said.newField !== undefined &&
    said.swap !== true &&
    last !== undefined &&
    old !== undefined &&
    known?.fields[old] !== undefined
  ) {
    if (!Object.hasOwn(last.fields, said.newField)) {
      renames.set(`${last.model}.${old}`, `${last.model}.${said.newField}`);
      last.fields = { ...last.fields, [said.newField]: last.fields[old]! };
      delete last.fields[old];
      delete last.unique;
      delete last.index;
    }
  }
  const graphs = [graphOf(before), graphOf(models)];
  if (graphs[0] === undefined || graphs[1] === undefined || models.length === 0) return undefined;
  const shown = (): string => [before, models, [...renames]].map((part) => JSON.stringify(part)).join('\n');
  return { before: graphs[0], after: graphs[1], renames, [fc.toStringMethod]: shown };
}

/** Gives two fields, which are there before and after, each other's names. */
function swapFields(before: readonly ModelSpec[], models: ModelSpec[], renames: Map<string, string>): void {
  const spec = models[0]!;
  const old = before.find(({ model }) => model === spec.model);
  const [one, other] = Object.keys(spec.fields).filter(
    (name) => Object.hasOwn(old?.fields ?? {}, name) && !Object.hasOwn(KEY, name),
  );
  if (one === undefined || other === undefined) return;
  const was = old!.fields;
  // Each goes on as it was, under the other's name: whatever else changes is for other edits.
  spec.fields = { ...spec.fields, [one]: was[other]!, [other]: was[one]! };
  delete spec.unique;
  delete spec.index;
  renames.set(`${spec.model}.${one}`, `${spec.model}.${other}`);
  renames.set(`${spec.model}.${other}`, `${spec.model}.${one}`);
}

export const growths: fc.Arbitrary<Growth> = fc
  .tuple(project, project, edits)
  .map(([before, next, said]) => grown(before, next, said))
  .filter((growth) => growth !== undefined);

/** What has a name in both is the next one where that is of its kind; what is new comes, and some of the old go. */
function merged<Of extends Record<string, unknown>>(
  before: Record<string, Of>,
  next: Record<string, Of>,
  kind: (one: Of) => unknown[],
  keep: (name: string) => boolean,
): Record<string, Of> {
  const same = (one: Of, other: Of): boolean => JSON.stringify(kind(one)) === JSON.stringify(kind(other));
  const stay = Object.entries(before)
    .filter(([name]) => Object.hasOwn(next, name) || keep(name))
    .map(([name, one]) => [name, Object.hasOwn(next, name) && same(one, next[name]!) ? next[name]! : one] as const);
  return { ...next, ...Object.fromEntries(stay) };
}

/** Projects whose names, types and targets stay, while all else may change. */
export const gentleGrowths: fc.Arbitrary<Growth> = fc
  .tuple(project, project, fc.subarray(FIELDS), fc.option(fc.constantFrom(...MODELS), { nil: undefined }))
  .map(([before, next, kept, gone]) => {
    const keep = (name: string): boolean => kept.includes(name);
    const models = before.map((spec, at): ModelSpec => {
      const { fields, relations, unique, index, ...rest } = next[at]!;
      const staying = merged(
        spec.fields,
        fields,
        ({ type, scale, enum: values }) => [type, scale, values === undefined],
        keep,
      );
      const sets = (unique ?? index ?? [])[0] ?? [];
      return {
        ...rest,
        fields: staying,
        relations: merged(spec.relations ?? {}, relations ?? {}, (one) => [one.to, one.with], keep),
        ...listed(index === undefined ? 'unique' : 'index', sets, staying),
      };
    });
    return grown(before, models, { kept: [false, false, false], ...(gone === undefined ? {} : { gone }) });
  })
  .filter((growth) => growth !== undefined);
