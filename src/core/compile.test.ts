import { describe, expect, test } from '@jest/globals';
import { compile } from './compile.ts';
import type { Source } from './declaration/declared.ts';

const SERVICE = 'service: { name: Huts }\n';

/** The problems of one model file, each as `line:column code`. */
function problemsOf(
  model: string,
  service = SERVICE,
  environment: Record<string, string> = {},
  code: readonly Source[] = [],
): string[] {
  const models = model === '' ? [] : [{ file: 'models/m.yaml', text: model }];
  const sources = { service: { file: 'vantfell.yaml', text: service }, models, environment };
  const { problems } = compile({ ...sources, code });
  return problems
    .filter(({ code }) => code !== 'open-service')
    .map(({ place, code }) => `${place.line}:${place.column} ${code}`);
}

test('what nobody can set, a hook may', () => {
  const model = 'model: hut\nfields: { n: { type: date, readOnly: true, required: true } }\n';
  expect(problemsOf(model)).toEqual(['2:28 nobody-can-set']);
  expect(problemsOf(model, SERVICE, {}, [{ file: 'code/hut.hooks.ts', text: '' }])).toEqual([]);
});

test.each([
  ['may: { clear: anybody }', ['2:8 idle-grant']],
  ['may: { journal: anybody }', ['2:8 idle-grant']],
  ['may: { delete: [anybody, { where: "TRUE" }] }', ['2:8 idle-grant']],
  ['endpoints: [list]\nmay: { create: anybody, read: anybody }', ['3:8 idle-grant']],
  ['fields: { n: { type: date, readOnly: true } }\nmay: { read: anybody, set: { n: anybody } }', ['3:30 idle-grant']],
])('grants that have no effect are told: %s', (text, expected) => {
  expect(problemsOf(`model: hut\n${text}\n`)).toEqual(expected);
});

test.each([
  ['https://huts.example:443', 'write https://huts.example: browsers leave the usual port out'],
  ['http://huts.example:80', 'write http://huts.example: browsers leave the usual port out'],
  ['https://huts.example/', 'leave out /: an origin has no path'],
  ['https://huts.example/app?x', 'leave out /app?x: an origin has no path'],
  ['https://hütten.example', 'write https://xn--htten-kva.example'],
  ['https://me@huts.example', 'write a scheme, a host and a port if need be'],
  ['http://localhost:99999', 'write a host and a port that can be'],
  ['http://localhost:80*', 'write a port as a number, or * for any'],
  ['https://*', 'write a scheme, a host and a port if need be'],
])('an origin that no browser sends is told: %s', (origin, remedy) => {
  const text = `${SERVICE}cors: { origins: [${JSON.stringify(origin)}] }\n`;
  const { problems } = compile({
    service: { file: 'vantfell.yaml', text },
    models: [{ file: 'models/m.yaml', text: 'model: hut\n' }],
    environment: {},
  });
  expect(problems.filter(({ code }) => code === 'wrong-origin').map((one) => one.remedy)).toEqual([remedy]);
});

test('credentials do not go with every origin', () => {
  const text = `${SERVICE}cors: { origins: ['*'], credentials: true }\n`;
  expect(problemsOf('model: hut\n', text)).toEqual(['2:38 wrong-origin']);
});

test('one mistake in a word is one error, and sizes are read as people write them', () => {
  const model = 'model: hut\nfields: { n: { type: decimall, minimum: 2 } }\nrules: [{ check: n > 3, message: m }]\n';
  expect(problemsOf(model)).toEqual(['2:22 unknown-word']);
  for (const size of ['64KB', '64kB', '64 kb', '1MB', '2 mb'])
    expect(problemsOf('model: hut\n', `${SERVICE}limits: { body: ${size} }\n`)).toEqual([]);
});

describe('the service file', () => {
  test.each([
    ['', ['1:1 missing-key']],
    ['service: {}\n', ['1:1 missing-key']],
    ['service: { name: X, prefix: /v1/ }\n', ['1:29 wrong-kind']],
    ['service: { name: X }\nidentity: { model: member }\n', ['2:20 unknown-model']],
    ['service: { name: X }\nkey: short\n', ['2:6 short-key']],
    ['service: { name: X }\nkey: "${KEY}"\n', ['2:6 unset-variable', '2:6 short-key']],
    ['service: { name: X }\npaging: { default: 50, most: 10 }\n', ['2:20 empty-range']],
    ['service: { name: X }\nstore: mongo\n', ['2:8 wrong-kind']],
    ['service: { name: X }\nlimits: { body: 1GB, queue: 5 }\n', ['2:17 wrong-kind']],
  ])('%j', (text, expected) => {
    expect(problemsOf('model: hut\n', text).sort()).toEqual(expected.sort());
  });

  test('environment variables fill it, with fallbacks', () => {
    const text = 'service: { name: "${NAME:-Huts}" }\nkey: "${KEY}"\n';
    const source = { service: { file: 's', text }, models: [{ file: 'm', text: 'model: hut\n' }] };
    const { graph } = compile({ ...source, environment: { KEY: 'k'.repeat(32) } });
    expect(graph?.service).toMatchObject({
      name: 'Huts',
      keys: ['k'.repeat(32)],
      paging: { default: 20, most: 100 },
      limits: { body: 1_000_000, rate: undefined, signIn: 10, transaction: 5_000, cascade: 10_000, queue: 1_000 },
    });
  });

  test.each([
    ['0', 0],
    ['"0"', 0],
    ['4MB', 4_000_000],
    ['"${CACHE}"', 0],
    ['"${SIZE:-2kB}"', 2_000],
  ])('limits.cache: %s is %i', (given, bytes) => {
    const text = `service: { name: X }\nlimits: { cache: ${given} }\n`;
    const source = { service: { file: 's', text }, models: [{ file: 'm', text: 'model: hut\n' }] };
    expect(compile({ ...source, environment: { CACHE: '0' } }).graph?.service.limits.cache).toBe(bytes);
  });
});

describe('models', () => {
  test.each([
    ['no models', '', ['1:1 no-models']],
    ['a list', '- model: hut\n', ['1:1 wrong-kind']],
    ['a bad name', 'model: Hut\n', ['1:8 wrong-kind']],
    ['a field without a type', 'model: hut\nfields: { name: { required: true } }\n', ['2:11 missing-key']],
    ['an unknown type', 'model: hut\nfields: { name: { type: strng } }\n', ['2:25 unknown-word']],
    [
      'a rule of another type',
      'model: hut\nfields: { name: { type: string, minimum: 1 } }\n',
      ['2:33 rule-of-other-type'],
    ],
    ['an empty range', 'model: hut\nfields: { n: { type: integer, minimum: 5, maximum: 4 } }\n', ['2:52 empty-range']],
    ['an enum with a value twice', 'model: hut\nfields: { n: { enum: [a, b, a] } }\n', ['2:29 duplicate-value']],
    [
      'a default outside its enum',
      'model: hut\nfields: { n: { enum: [a, b], default: c } }\n',
      ['2:39 default-breaks-rule'],
    ],
    [
      'a default of another type',
      'model: hut\nfields: { n: { type: integer, default: x } }\n',
      ['2:40 value-of-other-type'],
    ],
    [
      'an example that breaks a rule',
      'model: hut\nfields: { n: { type: integer, maximum: 3, examples: [2, 4] } }\n',
      ['2:57 example-breaks-rule'],
    ],
    ['a pattern that is none', 'model: hut\nfields: { n: { type: string, pattern: "(" } }\n', ['2:39 bad-pattern']],
    [
      'a computed default of another type',
      'model: hut\nfields: { n: { type: integer, default: { expr: today() } } }\n',
      ['2:48 wrong-type'],
    ],
    [
      'a field that nobody can set',
      'model: hut\nfields: { n: { type: date, readOnly: true, required: true } }\n',
      ['2:28 nobody-can-set'],
    ],
    ['an unknown model', 'model: hut\nwithin: valley\n', ['2:9 unknown-model']],
    [
      'an unknown field in a set',
      'model: hut\nunique: [[nam]]\nfields: { name: { type: string } }\n',
      ['2:11 unknown-field'],
    ],
    ['an unknown key field', 'model: hut\nkey: code\n', ['2:6 unknown-field']],
    [
      'a cleared required relation',
      'model: hut\nrelations: { up: { to: hut, required: true, onDelete: clear } }\n',
      ['2:55 clear-of-required'],
    ],
    [
      'a circle of parts',
      'model: a\nwithin: b\n---\nmodel: b\nwithin: a\n',
      ['2:9 circle-of-parts', '5:9 circle-of-parts'],
    ],
    ['two models of one name', 'model: a\n---\nmodel: a\n', ['3:8 duplicate-model']],
    ['two models at one path', 'model: a\nplural: x\n---\nmodel: b\nplural: x\ntable: y\n', ['5:1 same-path']],
    ['two models on one table', 'model: a\ntable: t\n---\nmodel: b\ntable: T\n', ['5:1 same-table']],
    ['two models of one name in the document', 'model: hut2\n---\nmodel: hut-2\n', ['3:1 same-name']],
    ['a table of the tool', 'model: a\ntable: vantfell_a\n', ['2:1 reserved-name']],
    ['a path of the service', 'model: token\n', ['1:1 reserved-name']],
    [
      'two members of one name',
      'model: a\nfields: { up_id: { type: uuid } }\nrelations: { up: { to: a } }\n',
      ['3:14 same-member'],
    ],
    ['a field like a stamp', 'model: a\nfields: { created_at: { type: date } }\n', ['2:11 same-member']],
    [
      'two members of one column',
      'model: a\nfields: { b: { type: date }, c: { type: date, column: B } }\n',
      ['2:30 same-column'],
    ],
    ['a field like a parameter', 'model: a\nfields: { limit: { type: integer } }\n', ['2:11 named-like-parameter']],
    ['a key twice', 'model: a\nmodel: b\n', ['2:1 duplicate-key']],
    ['an anchor', 'model: a\nfields: &f { n: { type: date } }\n', ['2:9 alias']],
    ['a merge', 'model: a\nfields: { <<: *f }\n', ['2:15 alias']],
    ['a tag', 'model: !js a\n', ['1:12 unknown-tag']],
    ['no YAML', 'model: [\n', ['2:1 unreadable-yaml']],
    ['a prototype', 'model: a\n__proto__: {}\n', ['2:1 reserved-name']],
  ])('%s', (_what, text, expected) => {
    expect(problemsOf(text)).toEqual(expected);
  });

  test('depth and size are bounded', () => {
    expect(problemsOf(`model: a\nfields: ${'['.repeat(60)}${']'.repeat(60)}\n`).join()).toMatch(/too-deep$/);
    expect(problemsOf(`model: a\n# ${'x'.repeat(4_000_001)}`)).toEqual(['1:1 too-large']);
  });

  test('resolve to a frozen graph: names, paths, tables, orders, parts', () => {
    const text = `
model: supply-draw
within: hut
sort: -amount
fields: { amount: { type: decimal, required: true } }
---
model: hut
key: code
stamps: false
fields: { code: { type: string, required: true }, name: { type: string, unique: [valley] }, valley: { enum: [a, b] } }
`;
    const { graph } = compile({
      service: { file: 's', text: SERVICE },
      models: [{ file: 'm', text }],
      environment: {},
    });
    expect(graph?.models.map(({ name }) => name)).toEqual(['hut', 'supply-draw']);
    const [hut, draw] = graph!.models;
    expect(hut).toMatchObject({ plural: 'huts', keyKind: 'field', parts: ['supply-draw'], stamps: {} });
    expect(hut!.fields.map(({ member }) => member)).toEqual(['code', 'name', 'valley']);
    expect(hut!.unique.map((set) => set.map(({ member }) => member))).toEqual([['valley', 'name']]);
    expect(draw).toMatchObject({ plural: 'supply-draws', table: 'supply_draws' });
    expect(draw!.fields.map(({ member }) => member)).toEqual(['id', 'hut_id', 'amount', 'created_at', 'updated_at']);
    expect(draw!.byMember.get('hut_id')).toMatchObject({
      type: 'string',
      refersTo: 'hut',
      rules: { required: true, immutable: true },
    });
    expect(draw!.sort.map(({ field, descending }) => [field.member, descending])).toEqual([
      ['amount', true],
      ['id', true],
    ]);
    expect(Object.isFrozen(draw)).toBe(true);
  });

  test('that anybody may do anything is told of models that do not say who may', () => {
    const text = (may: string): string => `model: a\nfields: { name: { type: string } }\n${may}`;
    const told = (may: string): string[] =>
      compile({
        service: { file: 's', text: SERVICE },
        models: [{ file: 'a', text: text(may) }],
        environment: {},
      }).problems.map(({ code }) => code);
    expect(told('')).toEqual(['open-service']);
    expect(told('may: { read: anybody, create: anybody, update: anybody, delete: anybody }\n')).toEqual([]);
  });

  test('five hundred models are resolved in one go', () => {
    const models = Array.from({ length: 500 }, (_none, at) => ({
      file: `models/m${at}.yaml`,
      text:
        `model: m${at}\nfields: { name: { type: string, required: true, maxLength: ` +
        `60 } }\nrelations: { up: { to: m${(at * 7) % 500} } }\n`,
    }));
    const { graph, problems } = compile({ service: { file: 's', text: SERVICE }, models, environment: {} });
    expect(problems.map(({ code }) => code)).toEqual(['open-service']);
    expect(graph?.models).toHaveLength(500);
  });
});
