// Where callers are signed in: refresh tokens that are good once, and what others do with stolen ones.
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { makeSessions } from '../../src/core/identity/sessions.ts';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestReply, TestService } from '../kit/open-test-service.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';

const ARCHIVE = fileURLToPath(new URL('../fixtures/access/archive', import.meta.url));
const SERVICE = `
service: { name: Archive }
key: archive-key-archive-key-archive-key
identity: { model: person, login: name, secret: word, roles: roles, tokens: { lifetime: 15min, refresh: 30d } }
limits: { sign-in: 1000/min }
`;
const WORDS = new Map([
  ['ada', 'ada-knows-this-word'],
  ['bo', 'bo-knows-this-word-too'],
  ['cy', 'cy-knows-this-word-too'],
]);
const DAY = 86_400;
/** How the ids of sessions begin that a test makes itself. */
const MADE = '00000000-0000-7000-8000-';

interface Pair {
  readonly access: string;
  readonly refresh: string;
}

const database = serverDatabases();

describe.each(kinds)('sessions, on %s', (kind) => {
  let on: TestService;
  beforeAll(async () => {
    const address = await database(kind, 'sessions');
    on = await openTestService(ARCHIVE, { database: address, files: { 'vantfell.yaml': SERVICE } });
  });
  afterAll(() => on.close());

  const as = ({ access }: Pair) => ({ authorization: `Bearer ${access}` });
  const pairIn = ({ body }: TestReply): Pair => ({ access: body.access_token, refresh: body.refresh_token });
  const signIn = async (name: string, agent?: string, word = WORDS.get(name)!): Promise<Pair> => {
    const answer = await on.ask('POST', '/tokens', { name, word }, agent === undefined ? {} : { 'user-agent': agent });
    expect(answer.status).toBe(200);
    return pairIn(answer);
  };
  const refresh = (token: unknown) => on.ask('POST', '/tokens/refresh', { refresh_token: token });
  const renewed = async (pair: Pair): Promise<Pair> => {
    const answer = await refresh(pair.refresh);
    expect([answer.status, answer.headers['cache-control']]).toEqual([200, 'no-store']);
    return pairIn(answer);
  };
  const meStatus = async (pair: Pair): Promise<number> => (await on.ask('GET', '/me', undefined, as(pair))).status;
  const sessionsOf = async (pair: Pair): Promise<{ id: string; agent: string | null; current: boolean }[]> =>
    (await on.ask('GET', '/me/sessions', undefined, as(pair))).body.data;
  const end = async (pair: Pair, id = ''): Promise<number> =>
    (await on.ask('DELETE', `/me/sessions${id}`, undefined, as(pair))).status;

  test('a refresh token is good once, and goes on with its session past the end of its token', async () => {
    const first = await signIn('ada');
    const second = await renewed(first);
    expect(second.refresh).not.toBe(first.refresh);
    on.later(16 * 60);
    expect([await meStatus(first), await meStatus(second)]).toEqual([401, 401]);
    const third = await renewed(second);
    expect(await meStatus(third)).toBe(200);
    on.later(29 * DAY);
    const fourth = await renewed(third);
    on.later(31 * DAY);
    const over = await refresh(fourth.refresh);
    expect([over.status, over.body.type]).toEqual([401, '/problems/invalid-token']);
  });

  test('one that comes a second time ends its whole session, and no other', async () => {
    const [stolen, other] = [await signIn('ada'), await signIn('ada')];
    const owner = await renewed(stolen);
    expect((await refresh(stolen.refresh)).body.detail).toContain('used before');
    expect([await meStatus(owner), await meStatus(other)]).toEqual([401, 200]);
    expect((await refresh(owner.refresh)).status).toBe(401);
    expect(await meStatus(await renewed(other))).toBe(200);
  });

  test('of many at once, one is good at most, and the session ends', async () => {
    const pair = await signIn('bo');
    const answers = await Promise.all(Array.from({ length: 8 }, () => refresh(pair.refresh)));
    const good = answers.filter(({ status }) => status === 200);
    expect(good).toHaveLength(1);
    expect(answers.filter(({ status }) => status === 401)).toHaveLength(7);
    expect(await meStatus(pairIn(good[0]!))).toBe(401);
  });

  test('each token is good for its own purpose, in its own database, as it was written', async () => {
    const pair = await signIn('bo');
    expect(await meStatus({ ...pair, access: pair.refresh })).toBe(401);
    const [head, payload, mark] = pair.refresh.split('.') as [string, string, string];
    const claims = JSON.parse(Buffer.from(payload, 'base64url').toString()) as { generation: number };
    const changed = Buffer.from(JSON.stringify({ ...claims, generation: 5 })).toString('base64url');
    const none = Buffer.from('{"alg":"none","typ":"refresh+jwt"}').toString('base64url');
    const forged = [pair.access, `${head}.${changed}.${mark}`, `${none}.${changed}.`, 'x', 'a.b.c'];
    for (const token of forged) expect([token, (await refresh(token)).status]).toEqual([token, 401]);
    for (const token of [1, null, {}, ['x'], '', '\u0000', undefined]) expect((await refresh(token)).status).toBe(422);
    const elsewhere = await openTestService(ARCHIVE, { files: { 'vantfell.yaml': SERVICE } });
    try {
      const answer = await elsewhere.ask('POST', '/tokens/refresh', { refresh_token: pair.refresh });
      expect(answer.status).toBe(401);
    } finally {
      await elsewhere.close();
    }
    // None of that was a use of it.
    expect(await meStatus(await renewed(pair))).toBe(200);
  });

  test('sessions are listed to their caller, and ended one by one', async () => {
    const [phone, desk] = [await signIn('cy', 'Phone Ω'), await signIn('cy', 'Desk'.repeat(100))];
    const other = await signIn('bo');
    const all = await sessionsOf(desk);
    expect(all.map(({ agent, current }) => [agent?.slice(0, 7), agent?.length, current])).toEqual([
      ['DeskDes', 200, true],
      ['Phone Ω', 7, false],
    ]);
    const id = all.find(({ current }) => !current)!.id;
    expect(await end(other, `/${id}`)).toBe(404);
    for (const strange of ['/x', '/{id}', '/constructor', '/..', '/%00', `/${id}/x`])
      expect([400, 404]).toContain(await end(desk, strange));
    expect([await meStatus(phone), await end(desk, `/${id}`), await end(desk, `/${id}`)]).toEqual([200, 204, 404]);
    expect([await meStatus(phone), (await refresh(phone.refresh)).status, await meStatus(desk)]).toEqual([
      401, 401, 200,
    ]);
    expect([await end(desk), await meStatus(desk), await meStatus(other)]).toEqual([204, 401, 200]);
    expect((await on.ask('GET', '/me/sessions')).status).toBe(401);
    expect((await on.ask('GET', '/me/sessions?limit=1', undefined, as(other))).status).toBe(400);
    expect((await on.ask('POST', '/me/sessions', {}, as(other))).headers.allow).toBe('GET, HEAD, DELETE, OPTIONS');
  });

  test('signing out takes the refresh token alone, and tells nobody whether it was good', async () => {
    const [one, two] = [await signIn('bo'), await signIn('bo')];
    const revoke = async (token: unknown) => (await on.ask('POST', '/tokens/revoke', { refresh_token: token })).status;
    expect([await revoke(one.refresh), await revoke(one.refresh), await revoke('x')]).toEqual([204, 204, 204]);
    expect([await meStatus(one), await meStatus(two)]).toEqual([401, 200]);
    expect(await revoke(3)).toBe(422);
    expect((await on.ask('POST', '/tokens/revoke')).status).toBe(401);
    expect((await on.ask('POST', '/tokens/revoke', undefined, as(two))).status).toBe(204);
    expect([await meStatus(two), (await refresh(two.refresh)).status]).toEqual([401, 401]);
  });

  test('another secret ends all sessions; so does the end of the record', async () => {
    const pair = await signIn('cy');
    const { data } = (await on.ask('GET', '/me', undefined, as(pair))).body;
    const word = 'cy-has-another-word';
    expect((await on.ask('PATCH', `/people/${data.id}`, { word }, as(pair))).status).toBe(200);
    expect([await meStatus(pair), (await refresh(pair.refresh)).status]).toEqual([401, 401]);
    expect(await sessionsOf(await signIn('cy', undefined, word))).toHaveLength(1);
    const made = await on.ask('POST', '/people', { name: 'pat', word: 'pat-knows-this-word' });
    const pat = await signIn('pat', undefined, 'pat-knows-this-word');
    const kit = await signIn('kit', undefined, 'kit-knows-this-word');
    expect((await on.ask('DELETE', `/people/${made.body.data.id}`, undefined, as(kit))).status).toBe(204);
    expect([await meStatus(pat), (await refresh(pat.refresh)).status]).toEqual([401, 401]);
    expect((await on.everything()).vantfell_sessions).not.toContain(made.body.data.id);
  });

  test('one has 100 at most: the one that was used least recently ends', async () => {
    const first = await signIn('ada');
    const { data } = (await on.ask('GET', '/me', undefined, as(first))).body;
    const sessions = makeSessions(on.store, () => on.now());
    for (let at = 0; at < 99; at += 1) {
      on.later(1);
      const began_at = on.now().toISOString();
      const expires_at = new Date(on.now().getTime() + 30 * DAY * 1000).toISOString();
      const session = {
        id: `${MADE}${String(at).padStart(12, '0')}`,
        began_at,
        used_at: began_at,
        expires_at,
        agent: null,
      };
      await on.store.transaction((transaction) => sessions.begin(transaction, data.id, session));
    }
    const last = await signIn('ada');
    expect(await meStatus(first)).toBe(401);
    expect(await sessionsOf(last)).toHaveLength(100);
    on.later(31 * DAY);
    // Those that are over are not kept.
    expect(await sessionsOf(await signIn('bo'))).toHaveLength(1);
    expect((await on.everything()).vantfell_sessions).not.toContain(MADE);
  });

  test('what one instance ends is over at another within seconds', async () => {
    const other = on.again(on.keys);
    const pair = await signIn('ada');
    expect((await other.ask('GET', '/me', undefined, as(pair))).status).toBe(200);
    expect(await end(pair)).toBe(204);
    on.later(6);
    expect((await other.ask('GET', '/me', undefined, as(pair))).status).toBe(401);
  });

  test('nothing in the database is a token', async () => {
    const pair = await signIn('ada');
    const kept = JSON.stringify(await on.everything());
    expect([kept.includes(pair.refresh), kept.includes(pair.access)]).toEqual([false, false]);
  });
});
