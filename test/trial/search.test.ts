import { expect, test } from '@jest/globals';
import { randomOf } from '../../src/core/text/random.ts';
import { followInSomeOrder } from '../../src/cli/trial/orders.ts';
import type { Sent } from '../../src/core/trial/report/outcome.ts';
import { predictorOf } from '../../src/core/trial/oracle/predict.ts';
import { worldState } from '../../src/core/trial/oracle/world-state.ts';
import { namesIn, shrink } from '../../src/core/trial/walk/shrink.ts';
import type { Step } from '../../src/core/trial/case.ts';
import { compile } from '../../src/core/compile.ts';
import { checkSamples } from '../../src/core/samples/check.ts';
import { readSamples } from '../../src/core/samples/read.ts';
import { findRecord } from '../../src/core/search/find-record.ts';
import type { Finding } from '../../src/core/search/find-record.ts';
import type { Row } from '../../src/core/search/records.ts';
import { exampleValue } from '../../src/core/rules/examples.ts';

const MODELS = `
model: boat
fields:
  length: { type: decimal, scale: 1, required: true, exclusiveMinimum: 0, maximum: 40 }
may: { read: anybody, create: anybody, update: anybody, delete: anybody }
---
model: rope
fields:
  metres: { type: integer, required: true, minimum: 2, multipleOf: 5 }
may: { read: anybody, create: anybody, update: anybody, delete: anybody }
---
model: mooring
fields:
  from: { type: date, required: true }
  to: { type: date, required: true }
  metres: { type: decimal, scale: 1, required: true, exclusiveMinimum: 0 }
  amount: { type: integer, required: true, minimum: 5, multipleOf: 5 }
  kind: { enum: [bow, stern], required: true }
relations:
  boat: { to: boat, required: true }
  rope: { to: rope, required: true }
unique: [[boat, kind]]
rules:
  - { check: to > from, message: must be later, at: to }
  - { check: metres >= boat.length, message: must be as long as the boat, at: metres }
draws: [{ from: rope.metres, amount: amount, while: "kind = 'bow'" }]
may: { read: anybody, create: anybody, update: anybody, delete: anybody }
`;

const graph = compile({
  service: { file: 'vantfell.yaml', text: 'service: { name: Boats }' },
  models: [{ file: 'models/all.yaml', text: MODELS }],
  environment: {},
}).graph!;
const mooring = graph.byName.get('mooring')!;

const rowsOf = (rows: Readonly<Record<string, readonly Row[]>>): Finding => {
  let turns = 0;
  return {
    around: {
      graph,
      now: () => new Date('2026-06-01T00:00:00Z'),
      records: {
        allOf: (name) => rows[name] ?? [],
        byKey: (name, key) => (rows[name] ?? []).find((row) => row.id === key),
      },
    },
    earlier: () => [],
    turn: () => (turns += 1),
    value: (_model, field, turn) => exampleValue(field, turn * 7, []),
    mayMake: () => Object.keys(rows).length === 0,
    isGiven: () => true,
  };
};

const BOAT = { id: 'b', length: '31.5' };
const ROPE = { id: 'r', metres: 10 };

/** The values that a search finds, or what stands in its way. */
const found = (finding: Finding, wanted = {}) => {
  const { drafts, obstacle } = findRecord(finding, mooring, wanted);
  return { values: drafts.at(-1)?.values, obstacle, models: drafts.map(({ model }) => model.name) };
};

test('a record is found that keeps rules across fields and along relations, and draws what is there', () => {
  const { values, obstacle } = found(rowsOf({ boat: [BOAT], rope: [ROPE] }), { given: { kind: 'bow' } });
  expect(obstacle).toBeUndefined();
  expect((values!.to as string) > (values!.from as string)).toBe(true);
  expect(Number(values!.metres)).toBeGreaterThanOrEqual(31.5);
  // Eight are left above the minimum of two: five fit, ten do not.
  expect(values!.amount).toBe(5);
});

test('records that are needed are made before, each keeping its own rules', () => {
  const { models, obstacle } = found(rowsOf({}), { given: { metres: '0.2' } });
  expect([models, obstacle]).toEqual([['boat', 'rope', 'mooring'], undefined]);
});

test('a rule is broken alone where that is wanted', () => {
  const { values, obstacle } = found(rowsOf({ boat: [BOAT], rope: [ROPE] }), { broken: mooring.rules[1] });
  expect(obstacle).toBeUndefined();
  expect(Number(values!.metres)).toBeLessThan(31.5);
  expect((values!.to as string) > (values!.from as string)).toBe(true);
});

test.each([
  ['a rule', { given: { from: '9999-12-31' } }, 'to must be later'],
  ['a unique set', { given: { boat_id: 'b', kind: 'stern' } }, 'boat_id and kind must be unique'],
  ['a stock', { given: { kind: 'bow', amount: 10 } }, 'mooring draws on rope.metres, of which too little is left'],
])('where %s stands in the way, it is named', (_what, wanted, obstacle) => {
  const there = { id: 'm', boat_id: 'b', kind: 'stern', from: '2026-01-01', to: '2026-01-02' };
  expect(found(rowsOf({ boat: [BOAT], rope: [ROPE], mooring: [there] }), wanted).obstacle).toBe(obstacle);
});

test('samples are checked without a database: every bad row, with its place and its rule', async () => {
  const sources = [
    { file: 'samples/boats.csv', text: '$,length\nlong,31.5\nshort,0\n' },
    { file: 'samples/ropes.csv', text: '$,metres\ncoil,10\n' },
    {
      file: 'samples/moorings.csv',
      text:
        '$,boat,rope,from,to,metres,amount,kind\n' +
        'good,long,coil,2026-01-01,2026-01-02,40,5,bow\n' +
        'early,long,coil,2026-01-02,2026-01-01,40,5,stern\n' +
        'short,long,coil,2026-01-01,2026-01-02,3,10,bow\n' +
        'lost,gone,coil,2026-01-01,2026-01-02,40,5,stern\n',
    },
  ];
  const { rows, problems } = readSamples(graph, sources);
  expect(problems).toEqual([]);
  const told = await checkSamples(graph, rows, new Date());
  expect(told.map(({ code, place }) => `${place.file}:${place.line} ${code}`)).toEqual([
    'samples/boats.csv:3 exclusiveMinimum',
    'samples/moorings.csv:3 check',
    'samples/moorings.csv:4 check',
    'samples/moorings.csv:4 draw',
    'samples/moorings.csv:4 unique',
    'samples/moorings.csv:5 unknown-record',
  ]);
});

const step = (path: string, keep?: string): Step => ({
  method: 'GET',
  path,
  expect: { status: 200 },
  ...(keep === undefined ? {} : { keep: { name: keep, pointer: '/data/id' } }),
});

test('a list of requests is made shorter until nothing can be left out', async () => {
  const random = randomOf(9);
  const needed = ['/a', '/b', '/c', '/d'];
  const noise = Array.from({ length: 60 }, (_none, at) => step(`/noise/${at}`));
  const all = [...noise];
  needed.forEach((path, at) => all.splice(10 + at * 12 + random.upTo(3), 0, step(path)));
  let runs = 0;
  const fails = (steps: readonly Step[]): Promise<boolean> => {
    runs += 1;
    return Promise.resolve(needed.every((path) => steps.some((one) => one.path === path)));
  };
  expect((await shrink(all, fails)).map(({ path }) => path)).toEqual(needed);
  expect(runs).toBeLessThan(200);
});

test('a request goes with the one that made what it names', async () => {
  const all = [step('/x'), step('/huts', 'hut1'), step('/huts/{hut1}'), step('/y')];
  expect(namesIn(all[2]!)).toEqual(['hut1']);
  const isThere = (steps: readonly Step[]): Promise<boolean> =>
    Promise.resolve(steps.some(({ path }) => path === '/huts/{hut1}'));
  expect((await shrink(all, isThere)).map(({ path }) => path)).toEqual(['/huts', '/huts/{hut1}']);
});

test('requests that were sent at once are followed in the order that fits, with nothing learnt from the others', () => {
  const predictor = predictorOf(graph);
  const now = '2026-06-01T00:00:00.000Z';
  const boatOf = (length: string, key: string): Sent => ({
    method: 'POST',
    path: '/boats',
    headers: { 'content-type': 'application/json', 'idempotency-key': key },
    body: { length },
    as: undefined,
  });
  const answerOf = (id: string, length: string) => ({
    status: 201,
    headers: {},
    body: { data: { id, length, created_at: now, updated_at: now } },
  });
  const none = { status: 404, headers: {}, body: { type: '/problems/not-found' } };
  const boat = '019a0000-0000-7000-8000-000000000001';
  // The record was not there yet: only the second order fits.
  const removal: Sent = { method: 'DELETE', path: `/boats/${boat}`, headers: {}, body: undefined, as: undefined };
  const pairs = [
    [boatOf('4.0', 'walk-1'), answerOf(boat, '4.0')],
    [removal, none],
  ] as const;
  const followed = followInSomeOrder(
    worldState(graph, new Map()),
    pairs,
    ({ method, path, headers, body }, state) =>
      predictor.predict(state, { method, path, query: '', headers, body, who: null }, new Date(now)),
    predictor.forget,
  );
  const boats = 'world' in followed ? followed.world?.allOf('boat').map(({ id }) => id) : followed.faults;
  expect(boats).toEqual([boat]);
});
