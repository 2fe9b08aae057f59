// Reads from a replica that follows by streaming, and a database that goes on on another host.
import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { connect } from '../../src/client/connect.ts';
import { demoFolder, serving, tokenFor, vantfell } from '../kit/program.ts';
import type { RunningProgram } from '../kit/program.ts';
import { raw } from '../kit/raw.ts';
import { startReplicated } from '../kit/replicated.ts';
import type { Replicated } from '../kit/replicated.ts';

let databases: Replicated;
beforeAll(async () => void (databases = await startReplicated()));
afterAll(() => databases.stop());

/** The demo over a store, with its samples. */
async function demoOn(store: string): Promise<{ server: RunningProgram; authorization: string; folder: string }> {
  const folder = demoFolder(store);
  const server = await serving(folder, ['--quiet']);
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  return { server, folder, authorization: `Bearer ${await tokenFor(folder, 'ines')}` };
}

interface Answer {
  readonly status: number;
  readonly written: string | undefined;
  readonly retryAfter: string | undefined;
  // eslint-disable-next-line @typescript-eslint/no-explicit-any
  readonly data: any;
}

async function sent(url: string, headers: Record<string, string>, method = 'GET', body?: unknown): Promise<Answer> {
  const text = body === undefined ? {} : { body: JSON.stringify(body) };
  const answer = await raw(url, { method, headers, ...text });
  const parsed = answer.body === '' ? {} : (JSON.parse(answer.body) as { data?: unknown });
  const { 'consistency-token': written, 'retry-after': retryAfter } = answer.headers as Record<string, string>;
  return { status: answer.status, written, retryAfter, data: parsed.data };
}

describe('a replica', () => {
  let server: RunningProgram;
  let authorization: string;
  let hut: string;
  const LAG_MS = 2_000;
  const newAmenity = (headers = {}): Promise<Answer> => {
    const slug = `a-${randomUUID().slice(0, 30)}`;
    return sent(`${server.url}/v1/amenities`, { authorization, ...headers }, 'POST', { slug, name: slug });
  };
  const read = (slug: string, headers: Record<string, string> = {}): Promise<Answer> =>
    sent(`${server.url}/v1/amenities/${slug}`, headers);

  beforeAll(async () => {
    await databases.newDatabase('reads');
    const { primary, replica } = databases.urlsOf('reads');
    ({ server, authorization } = await demoOn(`{ write: '${primary}', read: ['${replica}'], lag: 2s }`));
    hut = ((await sent(`${server.url}/v1/huts?limit=1`, {})).data as { id: string }[])[0]!.id;
  });

  test('a caller reads what it wrote, and others soon', async () => {
    expect(hut).toBeDefined();
    let wrote = '';
    for (let at = 0; at < 100; at += 1) {
      const made = await newAmenity();
      expect(made).toMatchObject({ status: 201, written: expect.stringMatching(/^[0-9a-f]{16}$/) });
      // Of two, the later one is the greater as a text.
      expect(made.written! > wrote).toBe(true);
      wrote = made.written!;
      const { slug } = made.data as { slug: string };
      expect((await read(slug, { 'consistency-token': wrote })).status).toBe(200);
      while ((await read(slug)).status !== 200);
    }
    expect((await read('stove')).written).toBeUndefined();
  });

  test('it answers while it is behind, and no longer than that may be', async () => {
    await databases.onReplica('SELECT pg_wal_replay_pause()');
    try {
      const made = await newAmenity();
      const begun = performance.now();
      const { slug } = made.data as { slug: string };
      // So it was the replica that answered.
      expect((await read(slug)).status).toBe(404);
      // The caller's own read, and those that name no place of this database, are the primary's.
      expect((await read(slug, { 'consistency-token': made.written! })).status).toBe(200);
      expect((await read(slug, { 'consistency-token': 'nonsense' })).status).toBe(200);
      expect((await read(slug, { 'consistency-token': 'f'.repeat(16) })).status).toBe(200);
      // Writes read what they are about from the database itself.
      const path = `${server.url}/v1/amenities/${slug}`;
      const renamed = { name: `b-${slug}`.slice(0, 40) };
      const type = { authorization, 'content-type': 'application/merge-patch+json' };
      expect((await sent(path, type, 'PATCH', renamed)).status).toBe(200);
      while ((await read(slug)).status !== 200) expect(performance.now() - begun).toBeLessThan(LAG_MS + 2_000);
      expect(performance.now() - begun).toBeGreaterThan(LAG_MS - 500);
    } finally {
      await databases.onReplica('SELECT pg_wal_replay_resume()');
    }
  });

  test('a new token is good, and one that has ended is not, however far the replica is', async () => {
    await databases.onReplica('SELECT pg_wal_replay_pause()');
    try {
      const credentials = { email: 'tor@fellhuts.example', passphrase: 'seven grey stones' };
      const signedIn = await raw(`${server.url}/v1/tokens`, { method: 'POST', body: JSON.stringify(credentials) });
      const tor = { authorization: `Bearer ${(JSON.parse(signedIn.body) as { access_token: string }).access_token}` };
      expect((await sent(`${server.url}/v1/me`, tor)).status).toBe(200);
      expect((await sent(`${server.url}/v1/tokens/revoke`, tor, 'POST')).status).toBe(204);
      expect((await sent(`${server.url}/v1/me`, tor)).status).toBe(401);
    } finally {
      await databases.onReplica('SELECT pg_wal_replay_resume()');
    }
  });

  test('the client sends what it was told by itself', async () => {
    await databases.onReplica('SELECT pg_wal_replay_pause()');
    try {
      const models = { amenity: { path: '/v1/amenities', operations: {}, parts: {} } };
      const client = connect(
        { keysAreCallers: true, models },
        {
          url: server.url,
          token: authorization.slice('Bearer '.length),
        },
      ) as { amenity: { create(values: object): Promise<unknown>; read(key: string): Promise<{ slug: string }> } };
      const slug = `c-${randomUUID().slice(0, 30)}`;
      await client.amenity.create({ slug, name: slug });
      expect((await client.amenity.read(slug)).slug).toBe(slug);
    } finally {
      await databases.onReplica('SELECT pg_wal_replay_resume()');
    }
  });
});

describe('several hosts', () => {
  test('the primary killed, the replica promoted: nothing acknowledged is lost, and a few 503 are all', async () => {
    await databases.newDatabase('hosts');
    const { server, authorization, folder } = await demoOn(databases.urlsOf('hosts').both);
    // A trial makes its database on the one that is the primary.
    expect((await vantfell(['trial', '-C', folder, '--model', 'amenity'])).out).toContain(' 0 failed');
    expect((await vantfell(['backup', 'x.db', '-C', folder])).err).toContain('pg_dump');
    await databases.synchronous(true);
    const acknowledged: string[] = [];
    const others: Answer[] = [];
    let isOver = false;
    let lastAnswer = performance.now();
    let longestPause = 0;
    const writers = Array.from({ length: 6 }, async (_one, writer) => {
      while (!isOver) {
        const slug = `${writer}-${randomUUID().slice(0, 30)}`;
        const answer = await sent(`${server.url}/v1/amenities`, { authorization }, 'POST', { slug, name: slug });
        if (answer.status !== 201) {
          others.push(answer);
          await new Promise((resolve) => setTimeout(resolve, 20));
          continue;
        }
        acknowledged.push(slug);
        longestPause = Math.max(longestPause, performance.now() - lastAnswer);
        lastAnswer = performance.now();
      }
    });
    while (acknowledged.length < 100) await new Promise((resolve) => setTimeout(resolve, 20));
    await databases.killPrimary();
    await databases.promote();
    const promoted = performance.now();
    const enough = acknowledged.length + 100;
    while (acknowledged.length < enough) {
      expect(performance.now() - promoted).toBeLessThan(60_000);
      await new Promise((resolve) => setTimeout(resolve, 20));
    }
    isOver = true;
    await Promise.all(writers);
    expect(longestPause).toBeLessThan(5_000);
    expect(others.filter(({ status, retryAfter }) => status !== 503 || retryAfter === undefined)).toEqual([]);
    for (const slug of acknowledged) {
      const { status } = await sent(`${server.url}/v1/amenities/${slug}`, {});
      expect([slug, status]).toEqual([slug, 200]);
    }
    expect(await server.stop()).toBe(0);
  });
});
