// A body that is refused is answered with all that is wrong with it, and tells nobody what is not for them to know.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestService } from '../kit/open-test-service.ts';
import { newDatabase, startPostgres } from '../kit/postgres.mjs';
import { folderWith } from '../kit/program.ts';

const files = {
  'vantfell.yaml': `
service: { name: Stalls, version: 1.0.0 }
store: sqlite:./data/stalls.db
identity: { model: keeper, login: login, secret: phrase, roles: roles }
`,
  'models/keeper.yaml': `
model: keeper
fields:
  login: { type: string, required: true, unique: true, reveals: true }
  phrase: { type: secret, minLength: 8 }
  roles: { type: array, items: { enum: [warden] }, default: [] }
may: { read: anybody, create: anybody, set: { roles: role:warden } }
`,
  'models/market.yaml': `
model: market
key: code
fields:
  code: { type: string, required: true }
  places: { type: integer, required: true }
relations:
  next: { to: market }
may: { read: anybody, create: role:warden, update: role:warden }
`,
  'models/stall.yaml': `
model: stall
owner: keeper
fields:
  sign: { type: string, required: true, minLength: 3, unique: true }
  row: { type: integer, required: true, minimum: 1 }
  place: { type: integer, required: true, minimum: 1 }
  opens: { type: time, required: true }
  closes: { type: time, required: true }
  note: { type: string, maxLength: 5 }
  number: { type: integer, immutable: true }
relations:
  market: { to: market, required: true }
  keeper: { to: keeper, required: true }
unique:
  - [market, row, place]
rules:
  - { check: opens < closes, message: must be after opens, at: closes }
  - { check: note IS NOT NULL OR row < 50, message: from 50 on there must be a note, at: row }
  - { check: place <= market.places, message: must be a place of the market, at: place }
may:
  read: anybody
  create: owner
  update: owner
`,
};

const samples = {
  'samples/keepers.yaml': `
ada: { login: ada, phrase: many small kettles }
bo: { login: bo, phrase: many small kettles, roles: [warden] }
`,
  'samples/markets.yaml': 'north: { code: north, places: 9 }',
  'samples/stalls.yaml': `
pots: { sign: Pots, row: 1, place: 1, opens: '08:00:00', closes: '12:00:00', number: 7, market: north, keeper: ada }
pans: { sign: Pans, row: 1, place: 2, opens: '08:00:00', closes: '12:00:00', market: north, keeper: bo }
`,
};

let all: TestService[];
let server: Awaited<ReturnType<typeof startPostgres>>;
beforeAll(async () => {
  const folder = folderWith({ ...files, ...samples });
  server = await startPostgres();
  all = [
    await openTestService(folder, { repeatable: true }),
    await openTestService(folder, { repeatable: true, database: await newDatabase(server, 'failures') }),
  ];
});
afterAll(async () => {
  await Promise.all(all.map((one) => one.close()));
  await server.stop();
});

/** What both stores answer somebody, as `rule at pointer`. */
async function refused(who: string | undefined, method: string, path: string, body: unknown) {
  const answers: unknown[] = [];
  for (const on of all) {
    const headers: Record<string, string> = {};
    if (who !== undefined) {
      const { body: tokens } = await on.ask('POST', '/tokens', { login: who, phrase: 'many small kettles' });
      headers.authorization = `Bearer ${tokens.access_token}`;
    }
    const answer = await on.ask(method, path, body, headers);
    const errors = (answer.body.errors ?? []) as { rule: string; pointer: string }[];
    answers.push([answer.status, ...errors.map(({ rule, pointer }) => `${rule} at ${pointer}`).sort()]);
  }
  expect(answers[1]).toEqual(answers[0]);
  return answers[0];
}

const stall = { sign: 'Jugs', row: 2, place: 3, opens: '08:00:00', closes: '12:00:00', market_id: 'north' };

describe('a new record', () => {
  test('breaks rules of members, rules across them, rules along relations, and takes what is taken', async () => {
    const body = { ...stall, sign: 'Pots', row: 0, place: 10, opens: '13:00:00', note: 'too long', hue: 1 };
    expect(await refused('ada', 'POST', '/stalls', body)).toEqual([
      422,
      'check at /closes',
      'check at /place',
      'maxLength at /note',
      'minimum at /row',
      'unique at /sign',
      'unknown at /hue',
    ]);
  });

  test('two sets of values are taken', async () => {
    const body = { ...stall, sign: 'Pots', row: 1, place: 2 };
    expect(await refused('ada', 'POST', '/stalls', body)).toEqual([409, 'unique at /place', 'unique at /sign']);
  });

  test('a rule says nothing where one of its members is wrong', async () => {
    const body = { ...stall, sign: 'J', row: 60, note: 'too long', opens: 'noon', market_id: 'south', place: 99 };
    expect(await refused('ada', 'POST', '/stalls', body)).toEqual([
      422,
      'format at /opens',
      'maxLength at /note',
      'minLength at /sign',
      'unknown-record at /market_id',
    ]);
  });

  test('what is missing is told with what is taken', async () => {
    expect(await refused('ada', 'POST', '/stalls', { sign: 'Pots' })).toEqual([
      422,
      'required at /closes',
      'required at /market_id',
      'required at /opens',
      'required at /place',
      'required at /row',
      'unique at /sign',
    ]);
  });

  test('what is no record is told as before', async () => {
    expect(await refused('ada', 'POST', '/stalls', 7)).toEqual([422, 'type at ']);
    expect(await refused('ada', 'POST', '/stalls', [])).toEqual([422, 'minItems at ']);
  });
});

describe('many new records', () => {
  test('are told all that is wrong with each, and what they have twice', async () => {
    const body = [
      { ...stall, sign: 'Pots' },
      { ...stall, row: 0, opens: '13:00:00', sign: 'Urns' },
      7,
      { ...stall, place: 4, sign: 'Urns', market_id: 'east' },
    ];
    expect(await refused('ada', 'POST', '/stalls', body)).toEqual([
      422,
      'check at /1/closes',
      'minimum at /1/row',
      'type at /2',
      'unique at /0/sign',
      'unique at /3/sign',
      'unknown-record at /3/market_id',
    ]);
  });

  test('can refer to each other', async () => {
    const body = [
      { code: 'west', places: 1 },
      { code: 'far-west', places: 'two', next_id: 'west' },
      { code: 'near', places: 1, next_id: 'nowhere' },
    ];
    expect(await refused('bo', 'POST', '/markets', body)).toEqual([
      422,
      'type at /1/places',
      'unknown-record at /2/next_id',
    ]);
  });
});

describe('a change', () => {
  const of = async (sign: string): Promise<string> => {
    const { body } = await all[0]!.ask('GET', `/stalls?sign=${sign}`);
    return `/stalls/${body.data[0].id}`;
  };

  test('breaks rules of members, of what may not change, across members, and takes what is taken', async () => {
    const body = { sign: 'Pans', note: 'too long', number: 8, closes: '07:00:00', place: 12 };
    expect(await refused('ada', 'PATCH', await of('Pots'), body)).toEqual([
      422,
      'check at /closes',
      'check at /place',
      'immutable at /number',
      'maxLength at /note',
      'unique at /sign',
    ]);
  });

  test('its own values are not taken', async () => {
    expect(await refused('ada', 'PATCH', await of('Pots'), { sign: 'Pots', note: 'too long' })).toEqual([
      422,
      'maxLength at /note',
    ]);
  });

  test('a replacement tells what is missing besides', async () => {
    expect(await refused('ada', 'PUT', await of('Pots'), { sign: 'Pans', row: 1, place: 1 })).toEqual([
      422,
      'required at /closes',
      'required at /market_id',
      'required at /opens',
      'unique at /sign',
    ]);
  });

  test('of a record that is not there, or of others, says nothing more', async () => {
    const missing = '/stalls/01890000-0000-7000-8000-000000000000';
    expect(await refused('ada', 'PATCH', missing, { sign: 'Pans', note: 'too long' })).toEqual([
      422,
      'maxLength at /note',
    ]);
    expect(await refused('bo', 'PATCH', await of('Pots'), { sign: 'Pans', note: 'too long' })).toEqual([
      422,
      'maxLength at /note',
    ]);
  });
});

test('whoever may not write a record is not told what is taken', async () => {
  const [ada] = (await all[0]!.ask('GET', '/keepers?login=ada')).body.data as { id: string }[];
  const body = { ...stall, sign: 'Pots', row: 0, keeper_id: ada!.id };
  expect(await refused('bo', 'POST', '/stalls', body)).toEqual([422, 'minimum at /row']);
  expect(await refused('ada', 'POST', '/stalls', body)).toEqual([422, 'minimum at /row', 'unique at /sign']);
});

test('a secret is part of no answer, and its rule is told with what is taken', async () => {
  expect(await refused(undefined, 'POST', '/keepers', { login: 'ada', phrase: 'short' })).toEqual([
    422,
    'minLength at /phrase',
    'unique at /login',
  ]);
});
