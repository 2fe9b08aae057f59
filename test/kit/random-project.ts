import { randomOf } from '../../src/core/text/random.ts';
import type { Random } from '../../src/core/text/random.ts';

/** A made-up project, as texts of its files. */
export interface RandomProject {
  readonly files: Readonly<Record<string, string>>;
  /** The declarations, as they stand in the files. */
  readonly models: readonly Tree[];
}

type Tree = Record<string, unknown>;

const NAMES = ['lantern', 'kettle', 'anvil', 'barrel', 'ladder', 'basket', 'oil-lamp', 'candle'];
const WORDS = ['red', 'green', 'blue', 'grey'];
const ROLES = ['keeper', 'porter'];
const PATTERNS = ['^[a-z]{2,6}$', '^[A-Z][0-9]{2,4}$', '[aeiou]'];
const FORMATS = ['hostname', 'ipv4', 'json-pointer', 'uri-reference'];
const TEXTS = ['string', 'text'];
const SCALARS = [
  ...TEXTS,
  'integer',
  'number',
  'decimal',
  'boolean',
  'date',
  'time',
  'date-time',
  'uuid',
  'email',
  'uri',
];
const TYPES = [...SCALARS, 'json', 'array', 'object', 'enum'];
const NUMBERS = ['integer', 'number', 'decimal'];

/** The bounds of a number, in its own grid. */
function boundsOf(random: Random): Tree {
  const low = random.upTo(6) - 3;
  const high = low + 4 + random.upTo(40);
  return {
    ...(random.chance(0.5) ? (random.chance(0.7) ? { minimum: low } : { exclusiveMinimum: low }) : {}),
    ...(random.chance(0.4) ? (random.chance(0.7) ? { maximum: high } : { exclusiveMaximum: high }) : {}),
    ...(random.chance(0.2) ? { multipleOf: random.one([1, 2]) } : {}),
  };
}

function textRules(random: Random, type: string): Tree {
  if (random.chance(0.2)) return { pattern: random.one(PATTERNS) };
  if (random.chance(0.15)) return { format: random.one(FORMATS) };
  return {
    ...(random.chance(0.3) ? { minLength: 1 + random.upTo(4) } : {}),
    ...(random.chance(0.5) ? { maxLength: 12 + random.upTo(30) } : {}),
    ...(random.chance(0.2) ? { trim: true } : {}),
    ...(type === 'string' && random.chance(0.2) ? { letters: random.one(['lower', 'upper']) } : {}),
  };
}

/** A value of a random kind, with rules that go together. */
function specOf(random: Random, types: readonly string[], depth = 0): Tree {
  const type = random.one(types);
  const words = random.chance(0.1) ? { description: 'Something.' } : {};
  if (type === 'enum') return { enum: WORDS.slice(0, 2 + random.upTo(2)), ...words };
  if (TEXTS.includes(type)) return { type, ...textRules(random, type), ...words };
  if (NUMBERS.includes(type)) {
    if (type === 'integer' && random.chance(0.1)) return { type, enum: [1, 2, 3] };
    const scale = type === 'decimal' && random.chance(0.6) ? { scale: random.upTo(3) } : {};
    return { type, ...scale, ...boundsOf(random), ...words };
  }
  if (type === 'array') {
    const items = specOf(
      random,
      depth > 0 ? ['string', 'integer'] : ['string', 'integer', 'date', 'enum', 'object'],
      depth + 1,
    );
    const size = random.chance(0.4) ? { minItems: 1, maxItems: 3 } : {};
    return { type, items, ...size, ...(random.chance(0.3) && items.type !== 'object' ? { uniqueItems: true } : {}) };
  }
  if (type === 'object') {
    const inner = depth > 0 ? ['string', 'integer'] : ['string', 'integer', 'decimal', 'boolean', 'array'];
    const first = { ...specOf(random, inner, depth + 1), ...(random.chance(0.5) ? { required: true } : {}) };
    const second = { type: 'integer', ...(random.chance(0.5) ? { default: 2 } : {}) };
    return { type, properties: { first, second } };
  }
  if (type === 'boolean' && random.chance(0.1)) return { type, const: true };
  return { type, ...words };
}

/** A field: a value with what a record makes of it. */
function fieldOf(random: Random): Tree {
  const spec = specOf(random, TYPES);
  const isPlain = spec.enum === undefined && spec.const === undefined;
  const defaults: Record<string, unknown> = { integer: undefined, boolean: true, date: { expr: 'today()' } };
  const type = (spec.type ?? 'string') as string;
  const hasDefault = random.chance(0.25) && (isPlain ? defaults[type] !== undefined : spec.const === undefined);
  const value = isPlain ? defaults[type] : (spec.enum as unknown[] | undefined)?.[0];
  const isScalar = spec.type === undefined || SCALARS.includes(type);
  return {
    ...spec,
    ...(random.chance(0.35) ? { required: true } : {}),
    ...(hasDefault ? { default: value } : {}),
    ...(random.chance(0.12) && isScalar && type !== 'boolean' && isPlain
      ? { unique: true, ...(random.chance(0.3) ? { reveals: true } : {}) }
      : {}),
    ...(random.chance(0.1) ? { immutable: true } : {}),
    ...(random.chance(0.05) ? { deprecated: true } : {}),
    ...(random.chance(0.06) ? { writeOnly: true } : {}),
    ...(random.chance(0.05) ? { message: 'is not as it should be' } : {}),
  };
}

interface Made {
  readonly tree: Tree;
  readonly name: string;
  /** Names of numbers that rules may compare, and of a stock. */
  readonly numbers: readonly string[];
  readonly stock: string | undefined;
  readonly isPart: boolean;
  readonly readers: unknown;
  /** How many columns its key has. */
  readonly width: number;
}

const underscored = (name: string): string => name.replaceAll('-', '_');

function grantOf(random: Random, others: readonly string[], hasOwner: boolean): unknown {
  const grants: unknown[] = [
    'signed-in',
    `role:${random.one(ROLES)}`,
    'anybody',
    ...(hasOwner ? ['owner', 'owner'] : []),
  ];
  if (others.length > 0 && random.chance(0.2)) return [{ where: random.one(others) }, random.one(grants)];
  // A condition that needs no field.
  if (others.length > 0 && random.chance(0.08)) return { where: random.one(others) };
  return random.chance(0.3)
    ? [random.one(grants), random.one(grants)].filter((one, at, all) => all.indexOf(one) === at)
    : random.one(grants);
}

function fieldsFor(random: Random): { fields: Tree; numbers: string[]; stock: string | undefined } {
  const fields: Tree = {};
  for (let at = 0; at <= 1 + random.upTo(3); at += 1) fields[`${random.one(['a', 'b', 'c'])}_${at}`] = fieldOf(random);
  const numbers = random.chance(0.6) ? ['least', 'most'] : [];
  const kind = random.one(['integer', 'decimal', 'date', 'date-time']);
  for (const name of numbers) fields[name] = { type: kind, ...(random.chance(0.5) ? { required: true } : {}) };
  if (random.chance(0.3)) {
    fields.title = { type: 'string', required: true, maxLength: 40 };
    fields.slug = { type: 'string', from: 'slug(title)', unique: true, maxLength: 24 };
  }
  if (random.chance(0.1)) fields.state = { type: 'string', readOnly: true, default: 'fresh', examples: ['fresh'] };
  if (random.chance(0.1)) fields.word = { type: 'secret', minLength: 4 };
  if (random.chance(0.1)) fields.other = { type: 'integer', column: 'The other, $1 (?)', unique: true };
  const stock = random.chance(0.4) ? 'stock' : undefined;
  if (stock !== undefined)
    fields.stock = {
      type: random.one(['integer', 'decimal']),
      required: true,
      minimum: random.upTo(2),
      ...(random.chance(0.3) ? { maximum: 500 } : {}),
    };
  return { fields, numbers, stock };
}

const STAMPS = { created: { name: 'made_at', column: 'Made At' }, updated: { name: 'moved_at', column: 'Moved At' } };

const PAIR = { own: 'Who likes', other: 'What is liked' };

/** A key that the service makes may have another column. */
const keyFor = (random: Random, key: unknown): unknown =>
  typeof key === 'object' || key === 'code' || random.chance(0.8) ? key : { type: key, name: 'id', column: 'The Key' };

/** A key of several fields: a code, a number, and perhaps what a record belongs to. */
function severalFor(
  random: Random,
  fields: Tree,
  relations: Tree,
  earlier: readonly Made[],
  within: Made | undefined,
): { key: unknown; width: number } {
  fields.part = { type: random.one(['integer', 'date']), required: true };
  if (random.chance(0.5)) fields.code = { type: 'string', required: true, maxLength: 12 };
  const parts = ['part', 'code'].filter((name) => fields[name] !== undefined);
  const wholes = earlier.filter(({ name }) => {
    const relation = relations[`its_${underscored(name)}`] as Tree | undefined;
    return relation !== undefined && relation.onDelete !== 'clear';
  });
  const isOfParent = within !== undefined && random.chance(0.7);
  const other = wholes.length > 0 && (parts.length < 2 || random.chance(0.6)) ? random.one(wholes) : undefined;
  const whole = isOfParent ? within : other;
  if (whole !== undefined) parts.unshift(`${isOfParent ? '' : 'its_'}${underscored(whole.name)}`);
  if (parts.length < 2) {
    fields.code = { type: 'string', required: true, maxLength: 12 };
    parts.push('code');
  }
  const width = parts.length + (whole === undefined ? 0 : whole.width - 1);
  if (whole === undefined && random.chance(0.5)) return { key: parts, width };
  return { key: { fields: parts, ...(random.chance(0.5) ? { name: 'ref' } : {}), reveals: true }, width };
}

/** Relations to models that were made before, and to the callers. */
function relationsFor(random: Random, earlier: readonly Made[], identity: boolean, isSeveral: boolean): Tree {
  const relations: Tree = {};
  for (const { name, width } of earlier.filter(() => random.chance(0.4)).slice(0, 2)) {
    const required = random.chance(0.5);
    const kinds = required ? ['restrict', 'cascade'] : ['restrict', 'cascade', 'clear'];
    relations[`its_${underscored(name)}`] = {
      to: name,
      ...(required ? { required } : {}),
      onDelete: random.one(kinds),
    };
    if (random.chance(0.1) && (relations[`its_${underscored(name)}`] as Tree).onDelete !== 'clear')
      relations[`its_${underscored(name)}`] = {
        ...(relations[`its_${underscored(name)}`] as Tree),
        immutable: true,
        description: 'It.',
        deprecated: true,
        ...(width === 1
          ? { column: `Key of ${underscored(name)}` }
          : { columns: Array.from({ length: width }, (_none, at) => `Key ${at} of ${underscored(name)}`) }),
      };
  }
  const linked = earlier[0]?.width === 1 ? earlier[0].name : undefined;
  if (linked !== undefined && !isSeveral && random.chance(0.25))
    relations.likes = { with: linked, ...(random.chance(0.3) ? { table: `Likes of ${linked}`, columns: PAIR } : {}) };
  if (identity && random.chance(0.6))
    relations.holder = { to: 'person', ...(random.chance(0.5) ? { required: true } : {}) };
  return relations;
}

function rulesFor(random: Random, numbers: readonly string[], relations: Tree, earlier: readonly Made[]): Tree[] {
  const rules: Tree[] = [];
  const [low, high] = numbers;
  if (low !== undefined && random.chance(0.6))
    rules.push({
      check: `${low} ${random.one(['<=', '<'])} ${high}`,
      message: 'must not be less',
      at: high,
      reveals: true,
    });
  for (const { name, numbers: others } of earlier) {
    if (
      relations[`its_${underscored(name)}`] === undefined ||
      others.length === 0 ||
      low === undefined ||
      !random.chance(0.5)
    )
      continue;
    rules.push({
      check: `its_${underscored(name)}.${others[0]} IS NULL OR ${low} IS NOT NULL`,
      message: 'goes with it',
      reveals: true,
    });
  }
  return rules;
}

function modelOf(random: Random, name: string, earlier: readonly Made[], identity: boolean): Made {
  const { fields, numbers, stock } = fieldsFor(random);
  const kind = random.one(['uuid', 'uuid', 'serial', 'code', 'several']);
  const parents = earlier.filter(({ isPart }) => !isPart);
  const within = parents.length > 0 && random.chance(0.2) ? random.one(parents) : undefined;
  const relations = relationsFor(
    random,
    earlier.filter((other) => other !== within),
    identity,
    kind === 'several',
  );
  const several = kind === 'several' ? severalFor(random, fields, relations, earlier, within) : undefined;
  const key = several?.key ?? kind;
  if (key === 'code') fields.code = { type: 'string', required: true, pattern: '^[A-Z]{2,4}$' };
  const titled = earlier.find(
    (other) => relations[`its_${underscored(other.name)}`] !== undefined && 'title' in (other.tree.fields as Tree),
  );
  if (titled !== undefined && fields.slug !== undefined && random.chance(0.6))
    fields.slug = { ...(fields.slug as Tree), from: `slug(its_${underscored(titled.name)}.title)`, reveals: true };
  const hasOwner = relations.holder !== undefined && random.chance(0.8);
  const draws = drawsFor(random, relations, earlier, fields);
  const rules = rulesFor(random, numbers, relations, earlier);
  const plain = Object.entries(fields)
    .filter(([, field]) => (field as Tree).type === 'boolean')
    .map(([one]) => one);
  const readers = grantOf(random, plain, hasOwner);
  const may =
    identity && within === undefined
      ? {
          read: readers,
          create: grantOf(random, plain, false),
          update: grantOf(random, plain, hasOwner),
          ...(random.chance(0.7) ? { delete: grantOf(random, plain, hasOwner) } : {}),
          ...(random.chance(0.2) ? { replace: grantOf(random, plain, hasOwner) } : {}),
          ...(random.chance(0.3) ? { clear: grantOf(random, plain, hasOwner) } : {}),
          ...(random.chance(0.3) ? { journal: grantOf(random, plain, hasOwner) } : {}),
          ...hiddenFor(random, fields, plain, hasOwner),
        }
      : { read: 'anybody', create: 'anybody', update: 'anybody', delete: random.one(['anybody', 'nobody']) };
  const hasLists = random.chance(0.9);
  const endpoints = ['list', 'read', 'create', 'replace', 'update', 'delete'].filter(
    (one) => one === 'create' || one === 'read' || (one === 'list' && hasLists) || random.chance(0.9),
  );
  const operations = operationsFor(random, name, plain);
  const tree: Tree = {
    model: name,
    ...(random.chance(0.1) ? { plural: `${underscored(name)}_all`.replaceAll('_', '-') } : {}),
    ...(random.chance(0.1) ? { table: `The ${underscored(name)}, its 5 %` } : {}),
    ...(random.chance(0.2) ? { description: `A ${name}.` } : {}),
    ...(random.chance(0.05) ? { deprecated: true } : {}),
    ...(within === undefined ? {} : { within: within.name }),
    ...(key === 'uuid' && random.chance(0.5) ? {} : { key: keyFor(random, key) }),
    ...(random.chance(0.3) ? { stamps: random.one([false, { updated: 'moved_at' }, STAMPS]) } : {}),
    ...(random.chance(0.1) ? { label: { text: `A ${name}`, reveals: true } } : {}),
    ...(hasOwner ? { owner: 'holder' } : {}),
    fields,
    ...(Object.keys(relations).length === 0 ? {} : { relations }),
    ...(numbers.length > 0 && random.chance(0.4)
      ? {
          computed: {
            is_there: {
              type: 'boolean',
              value: `${numbers[0]} IS NOT NULL`,
              reveals: true,
              ...(random.chance(0.3) ? { description: 'Whether.', deprecated: true } : {}),
            },
            ...(random.chance(0.3) ? { seven: { type: 'decimal', scale: 1, value: '7' } } : {}),
          },
        }
      : {}),
    ...(numbers.length > 0 && random.chance(0.3) ? { sort: `-${numbers[0]}` } : {}),
    ...(rules.length > 0 ? { rules } : {}),
    ...(numbers.length > 0 && random.chance(0.15) ? { unique: [numbers] } : {}),
    ...(numbers.length > 0 && random.chance(0.15) ? { index: [numbers] } : {}),
    ...(random.chance(0.15) ? { conditional: 'required' } : {}),
    ...(random.chance(0.3) ? { journal: true } : {}),
    ...(draws.length > 0 ? { draws } : {}),
    ...(random.chance(0.15) && hasLists ? { views: { short: numbers.length > 0 ? [numbers[0]] : [viewed(key)] } } : {}),
    endpoints: [...endpoints, ...(endpoints.includes('delete') && hasLists && random.chance(0.3) ? ['clear'] : [])],
    ...(Object.keys(operations).length === 0 ? {} : { operations }),
    ...(within !== undefined && identity
      ? {}
      : {
          may: {
            ...may,
            ...Object.fromEntries(
              Object.keys(operations).map((one) => [
                one,
                identity
                  ? (operations[one] as Tree).target === 'list'
                    ? grantOf(random, [], false)
                    : grantOf(random, plain, hasOwner)
                  : 'anybody',
              ]),
            ),
          },
        }),
    ...(stock !== undefined && random.chance(0.2) ? { trial: { example: { stock: 40 }, skip: ['limit of 0'] } } : {}),
  };
  const width = several?.width ?? 1;
  return { tree, name, numbers, stock, isPart: within !== undefined, readers, width };
}

/** The member that has the key. */
const viewed = (key: unknown): string =>
  key === 'code' ? 'code' : typeof key === 'object' && 'name' in (key as Tree) ? 'ref' : 'id';

/** Members that not everybody sees, or sets. */
function hiddenFor(random: Random, fields: Tree, plain: readonly string[], hasOwner: boolean): Tree {
  const [first] = Object.entries(fields)
    .filter(
      ([, field]) =>
        (field as Tree).required === undefined &&
        (field as Tree).unique === undefined &&
        (field as Tree).writeOnly === undefined,
    )
    .map(([name]) => name);
  if (first === undefined) return {};
  const others = plain.filter((name) => name !== first);
  return {
    ...(random.chance(0.25) ? { fields: { [first]: grantOf(random, others, hasOwner) } } : {}),
    ...(random.chance(0.25) ? { set: { [first]: grantOf(random, others, hasOwner) } } : {}),
  };
}

function drawsFor(random: Random, relations: Tree, earlier: readonly Made[], fields: Tree): Tree[] {
  for (const { name, stock } of earlier) {
    if (relations[`its_${underscored(name)}`] === undefined || stock === undefined || !random.chance(0.8)) continue;
    fields.taken = {
      type: 'integer',
      required: true,
      minimum: 1,
      maximum: 9,
      ...(random.chance(0.3) ? { multipleOf: 3 } : {}),
    };
    const isStopped = random.chance(0.4);
    if (isStopped) fields.is_over = { type: 'boolean', default: false };
    return [
      {
        from: `its_${underscored(name)}.${stock}`,
        amount: 'taken',
        ...(isStopped ? { while: 'NOT is_over' } : {}),
        ...(random.chance(0.3) ? { refuse: 'only {available} left' } : {}),
      },
    ];
  }
  return [];
}

function operationsFor(random: Random, name: string, _plain: readonly string[]): Tree {
  if (!random.chance(0.3)) return {};
  const target = random.one(['record', 'list']);
  const one = target === 'record' ? [{ one: name }] : [];
  const output = random.one([undefined, { many: name }, { count: { type: 'integer' } }, ...one]);
  const input = { because: { type: 'string', required: true, minLength: 2 }, days: { type: 'integer', default: 3 } };
  const reads = random.chance(0.4);
  return {
    ponder: {
      target,
      ...(random.chance(0.7) ? { input } : {}),
      ...(output === undefined ? {} : { output }),
      ...(reads ? { reads } : {}),
      ...(!reads && random.chance(0.3) && output !== undefined ? { status: 201 } : {}),
      ...(random.chance(0.2) ? { description: 'Think.', deprecated: true } : {}),
    },
  };
}

/** The code of an operation that changes nothing. */
function codeOf({ model, operations = {} }: Tree): [string, string][] {
  return Object.entries(operations as Tree).map(([name, operation]) => {
    const { output } = operation as { output?: { many?: string; one?: string } };
    const body =
      output === undefined
        ? '() => undefined'
        : output.one !== undefined
          ? '(_input, { record }) => record'
          : output.many === undefined
            ? '() => ({ count: 2 })'
            : `async (_input, { model }) => model('${String(model)}').find({}, { limit: 3 })`;
    return [
      `code/${String(model)}.${name}.ts`,
      `import { operation } from 'vantfell';\n\nexport default operation('${String(model)}.${name}', ${body});\n`,
    ];
  });
}

/** A project over the whole model language, the same for the same seed. Not every one is sound. */
export function randomProject(seed: number): RandomProject {
  const random = randomOf(seed);
  const hasIdentity = random.chance(0.6);
  const made: Made[] = [];
  const names = NAMES.slice(random.upTo(3)).slice(0, 2 + random.upTo(2));
  for (const name of names) made.push(modelOf(random, name, made, hasIdentity));
  const person: Tree = {
    model: 'person',
    fields: {
      mail: { type: 'email', required: true, unique: true, letters: 'lower' },
      word: { type: 'secret', required: true, minLength: 6 },
      ...(random.chance(0.5)
        ? { roles: { type: 'array', items: { enum: ROLES }, uniqueItems: true, default: [] } }
        : { roles: { enum: [...ROLES, 'guest'], default: 'guest' } }),
    },
    may: {
      read: random.one(['signed-in', ['owner', 'role:keeper'], 'anybody']),
      create: random.one(['anybody', 'role:keeper']),
      update: ['owner', 'role:keeper'],
      delete: 'role:keeper',
      set: { roles: 'role:keeper' },
    },
  };
  const others = made.filter(({ tree }) => (tree.relations as Tree | undefined)?.holder !== undefined);
  if (hasIdentity && others.length > 0 && random.chance(0.3))
    person.relations = { held: { from: `${others[0]!.name}.holder`, ...(random.chance(0.3) ? { one: true } : {}) } };
  const service: Tree = {
    service: { name: 'Made Up', ...(random.chance(0.3) ? { prefix: '/v1' } : {}) },
    ...(hasIdentity ? { identity: { model: 'person', login: 'mail', secret: 'word', roles: 'roles' } } : {}),
    ...(random.chance(0.2) ? { paging: { default: 3, most: 40 } } : {}),
  };
  const models = [...(hasIdentity ? [person] : []), ...made.map(({ tree }) => tree)];
  return {
    models,
    files: {
      'vantfell.yaml': JSON.stringify(service),
      'models/all.yaml': models.map((model) => JSON.stringify(model)).join('\n---\n'),
      ...Object.fromEntries(models.flatMap(codeOf)),
    },
  };
}
