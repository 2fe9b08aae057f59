// New records that refer to others: what is not there is said first, whatever else goes ahead of the look.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { kinds, serverDatabases } from '../kit/databases.ts';
import type { TestService } from '../kit/open-test-service.ts';
import { signUp } from '../kit/signed-up.ts';
import type { SignedUp } from '../kit/signed-up.ts';

const MODELS = `
model: member
fields:
  name: { type: string, required: true, unique: true }
  word: { type: secret, required: true, minLength: 8 }
may: { read: anybody, create: anybody }
---
model: night
fields: { beds_left: { type: integer, required: true, minimum: 0 } }
may: { read: anybody, create: signed-in }
---
model: stay
fields:
  party: { type: integer, required: true, minimum: 1 }
  code: { type: string, unique: true }
relations: { night: { to: night, required: true }, guest: { to: member, required: true } }
draws: [{ from: night.beds_left, amount: party }]
journal: true
may: { read: anybody, create: signed-in }
`;
const NOBODY = '01900000-0000-7000-8000-000000000000';
const database = serverDatabases();

describe.each(kinds)('a new record, on %s', (kind) => {
  let on: TestService;
  let ask: SignedUp['ask'];
  let [night, guest] = ['', ''];
  beforeAll(async () => {
    ({ on, ask } = await signUp(MODELS, ['ada'], await database(kind, 'new_references')));
    night = (await ask('ada', 'POST', '/nights', { beds_left: 3 })).body.data.id;
    guest = (await ask('ada', 'GET', '/members')).body.data[0].id;
  });
  afterAll(() => on.close());

  const book = async (given: Record<string, unknown>) => {
    const { status, body } = await ask('ada', 'POST', '/stays', {
      party: 1,
      night_id: night,
      guest_id: guest,
      ...given,
    });
    const failures = (body.errors ?? []) as { pointer: string; rule: string }[];
    return [status, ...failures.map(({ pointer, rule }) => `${pointer} ${rule}`)];
  };
  const left = async (): Promise<number> => (await ask('ada', 'GET', `/nights/${night}`)).body.data.beds_left;

  test('is refused for what is not there, also where nothing can be drawn from it', async () => {
    expect(await book({ night_id: NOBODY })).toEqual([422, '/night_id unknown-record']);
    expect(await book({ guest_id: NOBODY })).toEqual([422, '/guest_id unknown-record']);
    expect(await book({ guest_id: NOBODY, party: 9 })).toEqual([422, '/guest_id unknown-record']);
    expect(await book({ night_id: NOBODY, guest_id: NOBODY })).toEqual([
      422,
      '/night_id unknown-record',
      '/guest_id unknown-record',
    ]);
    expect(await left()).toBe(3);
  });

  test('has its line in the journal, and takes what it draws, exactly once', async () => {
    expect(await book({ party: 2, code: 'a' })).toEqual([201]);
    expect(await left()).toBe(1);
    expect(await book({ code: 'a' })).toEqual([409, '/code unique']);
    expect(await book({ party: 2 })).toEqual([409, '/party draw']);
    expect(await left()).toBe(1);
    const lines = await on.store.all({ sql: 'SELECT model, action FROM vantfell_journal' }, []);
    expect(lines).toEqual([['stay', 'create']]);
  });

  test('is one of many at once: as many as there is room for', async () => {
    const found = await Promise.all(Array.from({ length: 12 }, () => book({})));
    expect(found.filter(([status]) => status === 201)).toHaveLength(1);
    expect(found.filter(([status]) => status === 409)).toHaveLength(11);
    expect(await left()).toBe(0);
  });
});
