import fc from 'fast-check';
import { compile } from '../../src/core/compile.ts';
import type { Graph } from '../../src/core/model/graph.ts';

/** A project's declarations, and what they make. */
export interface Project {
  readonly graph: Graph;
  readonly files: Readonly<Record<string, string>>;
  /** As a failure shows it. */
  readonly [fc.toStringMethod]: () => string;
}

type Tree = Record<string, unknown>;

const flag = fc.boolean();
const some = <Value>(value: fc.Arbitrary<Value>): fc.Arbitrary<Value | undefined> =>
  fc.option(value, { nil: undefined });

const text = fc.record({
  type: fc.constantFrom('string', 'text'),
  minLength: some(fc.integer({ min: 0, max: 3 })),
  maxLength: some(fc.integer({ min: 4, max: 30 })),
  trim: some(flag),
  letters: some(fc.constantFrom('lower', 'upper')),
});
const number = fc.record({
  type: fc.constantFrom('integer', 'number', 'decimal'),
  minimum: some(fc.integer({ min: -5, max: 5 })),
  maximum: some(fc.integer({ min: 6, max: 50 })),
  multipleOf: some(fc.constantFrom(1, 2, 5)),
});
const single = fc.oneof(
  text,
  number,
  fc.record({ type: fc.constantFrom('boolean', 'date', 'time', 'date-time', 'uuid', 'email', 'uri', 'json') }),
  fc.constant({ type: 'string', pattern: '^[a-z]{2,6}-[0-9]{1,3}$' }),
  fc.constant({ enum: ['red', 'green', "it's", 'back\\slash'] }),
  fc.constant({ type: 'integer', enum: [1, 2, 5] }),
  fc.constant({ type: 'string', const: 'only' }),
  fc.constant({ type: 'string', format: 'ipv4' }),
);
const nested = fc.oneof(
  fc.record({
    type: fc.constant('array'),
    items: single,
    minItems: some(fc.constantFrom(0, 1)),
    maxItems: some(fc.constantFrom(2, 4)),
    uniqueItems: some(flag),
  }),
  fc.record({
    type: fc.constant('object'),
    properties: fc.record({
      alpha: fc.tuple(single, flag).map(([one, required]) => ({ ...one, required })),
      beta: single,
    }),
  }),
);
const field = fc
  .tuple(
    fc.oneof({ weight: 4, arbitrary: single }, { weight: 1, arbitrary: nested }),
    fc.record({
      required: some(flag),
      immutable: some(fc.constantFrom(true, undefined, undefined)),
      deprecated: some(flag),
      description: some(fc.constant('Some words')),
    }),
  )
  .map(([one, more]) => ({ ...one, ...more }));

const GRANTS = ['anybody', 'signed-in', 'role:keeper', 'nobody', { where: '1 = 1' }];
const grants = fc.oneof(
  fc.constantFrom(...GRANTS),
  fc.uniqueArray(fc.constantFrom(...GRANTS), { minLength: 1, maxLength: 3 }),
);

const model = fc.record({
  key: some(fc.constantFrom('serial', 'uuid')),
  stamps: some(fc.oneof(flag, fc.constant({ created: 'made_at' }))),
  description: some(fc.constant('A thing of some kind.')),
  deprecated: some(flag),
  fields: fc.dictionary(fc.constantFrom('title', 'size', 'opened', 'price', 'note', 'create', 'part'), field, {
    minKeys: 1,
    maxKeys: 5,
  }),
  journal: some(flag),
  conditional: some(fc.constant('required')),
  endpoints: some(
    fc.uniqueArray(fc.constantFrom('list', 'read', 'create', 'replace', 'update', 'delete', 'clear'), { minLength: 1 }),
  ),
  views: some(fc.constant({ card: ['id'] })),
  may: some(fc.record({ read: grants, create: grants, update: grants, delete: grants })),
  computed: some(fc.constant({ twice: { type: 'integer', value: '1 + 1' } })),
});

const MODELS = ['crate', 'grand-hall', 'person'];

const identified = fc.boolean();
const reference = fc.record({
  to: fc.constantFrom(...MODELS),
  required: some(flag),
  description: some(fc.constant('Which')),
});
const project = fc.record({
  identified,
  models: fc.tuple(model, model, model),
  relations: fc.tuple(
    fc.dictionary(fc.constantFrom('near', 'far'), reference, { maxKeys: 2 }),
    fc.boolean(),
    fc.boolean(),
    fc.boolean(),
  ),
});

/** Small projects of all kinds; those that `check` has errors in are left out. */
export const projects: fc.Arbitrary<Project> = project
  .map(({ identified: signs, models, relations: [references, isPart, links, ends] }) => {
    const [crate, hall, person] = models.map((one, at): Tree => ({ model: MODELS[at], ...one })) as [Tree, Tree, Tree];
    const may = (one: Tree): void => {
      if (!signs) delete one.may;
    };
    [crate, hall, person].forEach(may);
    crate.relations = { ...references, ...(links ? { halls: { with: 'grand-hall' } } : {}) };
    if (isPart) hall.within = 'person';
    if (ends)
      hall.relations = {
        crates: {
          from: links
            ? 'crate.halls'
            : Object.keys(references).length > 0
              ? `crate.${Object.keys(references)[0]}`
              : 'x.y',
        },
      };
    const identity = {
      login: { type: 'string', required: true, unique: true, maxLength: 60 },
      secret: { type: 'secret' },
      roles: { type: 'array', items: { enum: ['keeper'] } },
    };
    person.fields = { ...(person.fields as Tree), ...(signs ? identity : {}) };
    if (signs) crate.operations = { shake: { input: { hard: { type: 'boolean' } }, output: { one: 'crate' } } };
    const service = {
      service: { name: 'Some', prefix: '/api' },
      key: 'k'.repeat(32),
      ...(signs ? { identity: { model: 'person', login: 'login', secret: 'secret', roles: 'roles' } } : {}),
    };
    const files = {
      'vantfell.yaml': JSON.stringify(service),
      ...Object.fromEntries(
        [crate, hall, person].map((one) => [`models/${String(one.model as string)}.yaml`, JSON.stringify(one)]),
      ),
    };
    const sources = Object.entries(files).map(([file, contents]) => ({ file, text: contents }));
    const { graph } = compile({ service: sources[0]!, models: sources.slice(1), environment: {} });
    return { graph: graph!, files, [fc.toStringMethod]: () => sources.map(({ text: one }) => one).join('\n') };
  })
  .filter(({ graph }) => (graph as Graph | undefined) !== undefined);
