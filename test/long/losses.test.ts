import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { cutting } from '../kit/cutting.ts';
import type { Cutting } from '../kit/cutting.ts';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestReply, TestService } from '../kit/open-test-service.ts';
import { newDatabase, startPostgres } from '../kit/postgres.mjs';

// The connection to the database is lost at every message of every kind of request, before it and after it. The test
// runs in the process of the service: whatever would end that ends the test.

const ATTACKED = fileURLToPath(new URL('../fixtures/attacked', import.meta.url));

let server: Awaited<ReturnType<typeof startPostgres>>;
let cut: Cutting;
let on: TestService;
const headers: Record<string, string> = {};
beforeAll(async () => {
  server = await startPostgres();
  cut = await cutting(await newDatabase(server, 'losses'));
  on = await openTestService(ATTACKED, { database: cut.address });
  await on.service.writes.run(null, (work) =>
    on.service.writes
      .scopeOf(work)
      .model('person')
      .create({ name: 'ada', email: 'ada@attacked.example', passphrase: 'grey stones' }),
  );
  headers.authorization = `Bearer ${await on.service.token('ada', 3600)}`;
});
afterAll(async () => {
  await on.close();
  await cut.close();
  await server.stop();
});

const ask = (method: string, target: string, body?: unknown, more = {}): Promise<TestReply> =>
  on.ask(method, target, body, { ...headers, ...more });
/** Asks until the service has its connections again. */
async function surely(method: string, target: string, body?: unknown): Promise<TestReply> {
  for (let tries = 0; tries < 50; tries += 1) {
    const told = await ask(method, target, body);
    if (told.status !== 503) return told;
  }
  throw new Error(`${method} ${target} is never answered`);
}
const notes = async (title: string): Promise<Record<string, unknown>[]> =>
  (await surely('GET', `/notes?title=${title}`)).body.data as Record<string, unknown>[];

let made = 0;
const title = (): string => `loss-${(made += 1)}`;
const noteWith = async (more = {}): Promise<string> =>
  (await surely('POST', '/notes', { title: title(), ...more })).body.data.id as string;

interface Case {
  readonly what: string;
  /** Makes what the request needs, and gives it. */
  request(): Promise<{
    method: string;
    target: string;
    body?: unknown;
    more?: Record<string, string>;
    whole?: () => Promise<[boolean, boolean]>;
  }>;
}

const cases: Case[] = [
  { what: 'a list', request: () => Promise.resolve({ method: 'GET', target: '/notes?sort=title' }) },
  {
    what: 'a slow list',
    request: () =>
      Promise.resolve({ method: 'GET', target: `/notes?filter=${encodeURIComponent("title LIKE '%x%'")}` }),
  },
  { what: 'a record', request: () => Promise.resolve({ method: 'GET', target: '/people/ada' }) },
  {
    what: 'a sign-in',
    request: () =>
      Promise.resolve({
        method: 'POST',
        target: '/tokens',
        body: { email: 'ada@attacked.example', passphrase: 'grey stones' },
      }),
  },
  {
    what: 'a creation',
    request() {
      const name = title();
      // Either all of it is there, with its line in the journal, or none.
      const whole = async (): Promise<[boolean, boolean]> => {
        const [note] = await notes(name);
        const lines =
          note === undefined ? [] : ((await surely('GET', `/notes/${String(note.id)}/journal`)).body.data as unknown[]);
        return [note !== undefined, lines.length === (note === undefined ? 0 : 1)];
      };
      return Promise.resolve({ method: 'POST', target: '/notes', body: { title: name, tags: ['a'] }, whole });
    },
  },
  {
    what: 'several creations',
    request() {
      const name = title();
      const whole = async (): Promise<[boolean, boolean]> => {
        const { length } = await notes(name);
        return [length > 0, length === 0 || length === 3];
      };
      return Promise.resolve({ method: 'POST', target: '/notes', body: [1, 2, 3].map(() => ({ title: name })), whole });
    },
  },
  {
    what: 'an update',
    async request() {
      const id = await noteWith({ count: 1 });
      const whole = async (): Promise<[boolean, boolean]> => {
        const { body } = await surely('GET', `/notes/${id}`);
        return [body.data.count === 2, (body.data.count === 2) === (body.data.text === 'two')];
      };
      return { method: 'PATCH', target: `/notes/${id}`, body: { count: 2, text: 'two' }, whole };
    },
  },
  {
    what: 'a deletion',
    async request() {
      const id = await noteWith();
      return {
        method: 'DELETE',
        target: `/notes/${id}`,
        whole: async () => [(await surely('GET', `/notes/${id}`)).status === 404, true],
      };
    },
  },
  {
    what: 'a deletion of many',
    async request() {
      const name = title();
      await surely(
        'POST',
        '/notes',
        [1, 2, 3].map(() => ({ title: name })),
      );
      const whole = async (): Promise<[boolean, boolean]> => {
        const { length } = await notes(name);
        return [length === 0, length === 0 || length === 3];
      };
      return { method: 'DELETE', target: `/notes?title=${name}`, whole };
    },
  },
  {
    what: 'a draw',
    async request() {
      const tank = (await surely('POST', '/tanks', { level: '10.0' })).body.data.id as number;
      const whole = async (): Promise<[boolean, boolean]> => {
        const pours = (await surely('GET', `/pours?tank_id=${tank}`)).body.data as unknown[];
        const { level } = (await surely('GET', `/tanks/${tank}`)).body.data as { level: string };
        return [pours.length === 1, level === (pours.length === 1 ? '8.0' : '10.0')];
      };
      return { method: 'POST', target: '/pours', body: { tank_id: tank, litres: '2', times: '1' }, whole };
    },
  },
];

describe.each(['before', 'after'] as const)('the connection is lost %s a message', (when) => {
  test.each(cases)('of $what', async ({ request }) => {
    let isOver = false;
    let cuts = 0;
    for (let message = 1; !isOver; message += 1) {
      const { method, target, body, more, whole } = await request();
      cut.cutAt(message, when);
      const told = await ask(method, target, body, more);
      isOver = !cut.hasCut();
      cut.cutAt(Infinity, when);
      cuts += isOver ? 0 : 1;
      const isDone = told.status < 300;
      if (!isDone)
        expect([method, message, told.status, told.headers['retry-after'], told.body.type]).toEqual([
          method,
          message,
          503,
          '1',
          expect.stringMatching(/^\/problems\/(store-unavailable|outcome-unknown)$/),
        ]);
      if (whole === undefined) continue;
      const [isThere, isWhole] = await whole();
      expect([method, message, isWhole]).toEqual([method, message, true]);
      // What was acknowledged is kept; what was not may have been kept where the very last answer was lost, and says
      // so.
      const isUncertain = told.body?.type === '/problems/outcome-unknown';
      if (!isUncertain) expect([method, message, isThere]).toEqual([method, message, isDone]);
      expect(message).toBeLessThan(100);
    }
    expect(cuts).toBeGreaterThan(0);
  });
});

test('a write whose last answer was lost is repeated with its key, and done once', async () => {
  for (let message = 1; ; message += 1) {
    const name = title();
    const key = { 'idempotency-key': name };
    cut.cutAt(message, 'after');
    const first = await ask('POST', '/notes', { title: name }, key);
    const isOver = !cut.hasCut();
    cut.cutAt(Infinity, 'after');
    let again = first;
    while (again.status === 503) again = await ask('POST', '/notes', { title: name }, key);
    expect([message, again.status, (await notes(name)).length]).toEqual([message, 201, 1]);
    if (isOver) break;
  }
});

test('a connection over which nothing comes any more is given up, and its place is free again', async () => {
  const quick = await openTestService(ATTACKED, { database: cut.address, limits: { read: 300, transaction: 300 } });
  const sent = (method: string, target: string, body?: unknown) => quick.ask(method, target, body, headers);
  // More than there are connections, of either kind.
  for (let at = 1; at <= 12; at += 1) {
    cut.cutAt(1 + (at % 4), 'silence');
    const [write, read] = [await sent('POST', '/notes', { title: title() }), await sent('GET', '/notes?sort=title')];
    expect([201, 503]).toContain(write.status);
    expect([200, 503]).toContain(read.status);
  }
  cut.cutAt(Infinity, 'silence');
  for (const [method, target, body, status] of [
    ['POST', '/notes', { title: title() }, 201],
    ['GET', '/notes', undefined, 200],
    ['GET', '/people/ada', undefined, 200],
  ] as const) {
    const until = Date.now() + 20_000;
    let told = await sent(method, target, body);
    while (told.status === 503 && Date.now() < until) told = await sent(method, target, body);
    expect([method, target, told.status]).toEqual([method, target, status]);
  }
  await quick.close();
});
