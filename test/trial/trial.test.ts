import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { compile } from '../../src/core/compile.ts';
import { noRules } from '../../src/core/model/field.ts';
import type { Field, Rules } from '../../src/core/model/field.ts';
import { canonical } from '../../src/core/model/value.ts';
import { exampleValue, isSound } from '../../src/core/rules/examples.ts';
import { deriveCases } from '../../src/core/trial/derive.ts';
import { edgesOf } from '../../src/core/trial/edges.ts';
import { readProject } from '../../src/project/project.ts';
import type { SoundProject } from '../../src/project/project.ts';
import { demoFolder, folderWith, vantfell } from '../kit/program.ts';

const { graph } = readProject(demoFolder()) as SoundProject;

test('the command shows a failure with the request to repeat it, and what can not be tried', async () => {
  const project = folderWith({
    'vantfell.yaml': 'service: { name: X }\n',
    'models/a.yaml': `
model: note
endpoints: [list, read]
---
model: tag
fields: { word: { type: string, required: true, pattern: '^(?=x)y$' } }
---
model: page
fields: { text: { type: string, required: true } }
`,
  });
  const { code, out } = await vantfell(['trial', '-C', project]);
  expect(code).toBe(0);
  expect(out).toContain('skipped note: all cases (note has no create endpoint)');
  expect(out).toContain('skipped tag: all cases (no valid value of tag.word is known: give it examples, or samples)');
  const listed = JSON.parse((await vantfell(['trial', '-C', project, '--json'])).out) as { skipped: unknown[] };
  expect(listed.skipped).toHaveLength(2);
});

const BERTHS = {
  'vantfell.yaml': 'service: { name: Berths }\n',
  'models/berth.yaml': `
model: berth
fields:
  metres: { type: decimal, scale: 1, required: true, exclusiveMinimum: 0 }
  depth: { type: decimal, scale: 1 }
rules: [{ check: depth < metres, message: is deeper than long, at: depth }]
may: { read: anybody, create: anybody, update: anybody, delete: anybody }
trial: { example: { metres: '60' } }
`,
  'samples/berths.csv': '$,metres,depth\nlong,14.0,3.0\nodd,2.0,9.5\nnone,0,\n',
};

test('check reads samples: every bad row, with its place', async () => {
  const { code, out } = await vantfell(['check', '-C', folderWith(BERTHS), '--json']);
  const { problems } = JSON.parse(out) as { problems: { code: string; place: { file: string; line: number } }[] };
  expect([code, problems.map((one) => `${one.place.file}:${one.place.line} ${one.code}`)]).toEqual([
    1,
    ['samples/berths.csv:3 check', 'samples/berths.csv:4 exclusiveMinimum'],
  ]);
});

const THROWING = `import { hooks } from 'vantfell';

export default hooks('berth', {
  beforeCreate(draft) {
    if (draft.depth === null) draft.depth = draft.depths.deepest;
  },
});
`;

test('an error of a hook names the row, the file and the line, and fails cases, not the tool', async () => {
  const sound = { ...BERTHS, 'samples/berths.csv': '$,metres,depth\nlong,14.0,3.0\n', 'code/berth.hooks.ts': THROWING };
  const bad = folderWith({ ...sound, 'samples/berths.csv': '$,metres,depth\nlong,14.0,3.0\nbare,9.0,\n' });
  const seeded = await vantfell(['seed', '-C', bad]);
  expect(seeded.code).toBe(1);
  expect(seeded.err).toContain('samples/berths.csv:3, berth/bare: beforeCreate of berth');
  expect(seeded.err).toMatch(/ at code\/berth\.hooks\.ts:5:\d+\n/);
  expect(seeded.err).not.toContain('defect');
  const tried = await vantfell(['trial', '-C', folderWith(sound)]);
  expect(tried.code).toBe(1);
  expect(tried.out).toMatch(
    /failed berth, create: depth null: taken\n +beforeCreate of berth: .* at code\/berth\.hooks\.ts:5/,
  );
  expect(tried.err).not.toContain('defect');
});

test('a decimal that an example writes shortly is compared as a number', async () => {
  const sound = folderWith({ ...BERTHS, 'samples/berths.csv': '$,metres,depth\nlong,14.0,3.0\n' });
  const { code, out } = await vantfell(['trial', '-C', sound]);
  expect([code, out]).toEqual([0, expect.stringMatching(/\d+ passed, 0 failed in/)]);
});

test('limits of requests and of failed sign-ins have cases of their own', async () => {
  const project = folderWith({
    'vantfell.yaml':
      'service: { name: X }\nlimits: { rate: 40/min, sign-in: 3/min }\n' +
      'identity: { model: member, login: name, secret: word }\n',
    'models/member.yaml': `
model: member
fields: { name: { type: string, required: true, unique: true }, word: { type: secret, required: true } }
may: { read: anybody }
`,
    'samples/member.yaml': 'ines: { name: ines, word: some words here }\n',
  });
  const { code, out, err } = await vantfell(['trial', '-C', project, '--only', 'in a minute']);
  expect({ code, err }).toEqual({ code: 0, err: '' });
  expect(out).toMatch(/list +sign-in\nmember +1 +1\n\n2 passed, 0 failed/);
});

describe('made-up values', () => {
  const bounds = fc.record({
    low: fc.integer({ min: -50, max: 50 }),
    span: fc.integer({ min: 0, max: 40 }),
    exclusive: fc.boolean(),
  });
  const rules = fc.oneof(
    fc
      .record({ low: fc.nat({ max: 20 }), span: fc.nat({ max: 20 }) })
      .map(({ low, span }) => ({ type: 'string' as const, minLength: low, maxLength: low + span + 1 })),
    fc
      .tuple(fc.constantFrom('integer' as const, 'number' as const, 'decimal' as const), bounds)
      .map(([type, { low, span, exclusive }]) =>
        exclusive
          ? { type, exclusiveMinimum: low, exclusiveMaximum: low + span + 2 }
          : { type, minimum: low, maximum: low + span },
      ),
    fc
      .tuple(fc.integer({ min: 1, max: 9 }), fc.integer({ min: -9, max: 9 }))
      .map(([step, low]) => ({ type: 'integer' as const, multipleOf: step, minimum: low })),
    fc
      .constantFrom(
        'date' as const,
        'time' as const,
        'date-time' as const,
        'uuid' as const,
        'email' as const,
        'uri' as const,
        'boolean' as const,
      )
      .map((type) => ({ type })),
    fc
      .constantFrom('^[A-Z]{2}-[0-9]{3}$', '^(a|bc)+$', '^\\+?[0-9 ]{6,20}$')
      .map((pattern) => ({ type: 'string' as const, pattern })),
  );
  const field = ({ type, ...own }: { type: Field['type'] } & Partial<Rules>): Field => ({
    member: 'x',
    column: 'x',
    type,
    scale: type === 'decimal' ? 2 : 0,
    origin: 'field',
    examples: [],
    rules: { ...noRules, ...own },
  });

  test('keep every rule of their field, whatever the rules', () => {
    fc.assert(
      fc.property(rules, fc.nat({ max: 5000 }), (own, turn) => {
        const value = exampleValue(field(own), turn, []);
        expect(canonical(field(own), value)).toEqual({ value });
        expect(isSound(field(own), value!)).toBe(true);
      }),
    );
  });

  test('on an edge pass, and past it break their rule', () => {
    fc.assert(
      fc.property(rules, (own) => {
        const { edges } = edgesOf(field(own), () => 7);
        for (const { rule, value, passes } of edges.filter((edge) => edge.value !== null)) {
          const read = canonical(field(own), value);
          const isFine = 'value' in read && isSound(field(own), read.value!);
          expect({ rule, value, isFine }).toEqual({ rule, value, isFine: passes });
        }
      }),
    );
  });
});

test('cases are the same each time', () => {
  const cases = (): string => JSON.stringify(deriveCases(graph, new Map(), new Date(0)));
  expect(cases()).toBe(cases());
  const { graph: circle } = compile({
    service: { file: 's', text: 'service: { name: X }' },
    models: [
      { file: 'm', text: 'model: a\nrelations: { b: { to: b } }\n---\nmodel: b\nrelations: { a: { to: a } }\n' },
    ],
    environment: {},
  });
  expect(deriveCases(circle!, new Map(), new Date(0)).skipped).toEqual([]);
  expect(deriveCases(circle!, new Map(), new Date(0)).cases.length).toBeGreaterThan(10);
});
