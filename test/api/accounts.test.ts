// The life of an account, from sign-up over a proved address to a new secret; and what others try with it.
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { MOST_IN_AN_HOUR } from '../../src/core/identity/codes.ts';
import type { Message } from '../../src/core/identity/messenger.ts';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestReply, TestService } from '../kit/open-test-service.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';

const GUILD = fileURLToPath(new URL('../fixtures/access/guild', import.meta.url));
const PHRASE = 'a kettle of grey herons';

interface Sent extends Message {
  readonly kind: string;
  readonly to: string;
}

const database = serverDatabases();

describe.each(kinds)('accounts, on %s', (kind) => {
  let on: TestService;
  const box: Sent[] = [];
  beforeAll(async () => {
    const address = await database(kind, 'accounts');
    const send = (of: string, to: string, message: Message): void => void box.push({ kind: of, to, ...message });
    on = await openTestService(GUILD, { database: address, send, samples: false });
  });
  afterAll(async () => {
    expect(on.defects).toEqual([]);
    await on.close();
  });

  const as = (token: string) => ({ authorization: `Bearer ${token}` });
  const signUp = async (name: string): Promise<string> => {
    const body = { name, email: `${name}@guild.example`, phrase: PHRASE };
    const { status, body: made } = await on.ask('POST', '/members', body);
    expect(status).toBe(201);
    return made.data.id as string;
  };
  const signIn = (name: string, phrase = PHRASE, client?: string): Promise<TestReply> =>
    on.ask('POST', '/tokens', { email: `${name}@guild.example`, phrase }, {}, client);
  const tokenOf = async (name: string, phrase?: string): Promise<string> => {
    const { status, body } = await signIn(name, phrase);
    expect(status).toBe(200);
    return body.access_token as string;
  };
  /** What was sent since it was looked at last. */
  const sent = async (): Promise<Sent[]> => {
    await on.service.settled();
    return box.splice(0);
  };
  const verify = async (code: string): Promise<number> => (await on.ask('POST', '/verification', { code })).status;
  const askReset = (email: string, client?: string) => on.ask('POST', '/reset', { email }, {}, client);
  const reset = (code: string, phrase: string) => on.ask('POST', '/reset/secret', { code, phrase });
  const rulesIn = ({ body }: TestReply): string[] =>
    (body.errors as { pointer: string; rule: string }[]).map(({ pointer, rule }) => `${pointer} ${rule}`);
  const codeFor = async (name: string): Promise<string> => {
    expect((await askReset(`${name}@guild.example`)).status).toBe(202);
    const [message] = await sent();
    return message!.code;
  };

  test('who signs up is sent a code, proves the address, and may more then', async () => {
    const id = await signUp('ada');
    const [message, ...more] = await sent();
    expect(more).toEqual([]);
    expect(message).toEqual({
      kind: 'verify',
      to: 'ada@guild.example',
      code: expect.stringMatching(/^[\w-]{32}$/),
      link: `https://guild.example/verify?code=${message!.code}`,
      expires: expect.any(Date),
    });
    const token = await tokenOf('ada');
    const plan = (text: string) => on.ask('POST', '/plans', { text, member_id: id }, as(token));
    expect((await plan('too early')).status).toBe(403);
    expect([await verify('x'.repeat(32)), await verify(message!.code), await verify(message!.code)]).toEqual([
      422, 204, 422,
    ]);
    const made = await plan('in time');
    expect([made.status, made.body.data.proved]).toEqual([201, true]);
    const path = `/plans/${made.body.data.id}`;
    // A proved address is no role: it makes nobody else the owner.
    const other = await signUp('zoe');
    const theirs = await on.ask('POST', '/plans', { text: 'for zoe', member_id: other }, as(token));
    expect([theirs.status, theirs.body.errors[0].pointer]).toEqual([403, '/member_id']);
    await sent();
    expect((await on.ask('PATCH', path, { text: 'later' }, as(token))).status).toBe(200);
    // Nothing more is sent to an address that is proved.
    expect((await on.ask('POST', '/me/verification', undefined, as(token))).status).toBe(204);
    expect(await sent()).toEqual([]);
    // Another address is not proved; the first one still is.
    const move = (email: string) => on.ask('PATCH', `/members/${id}`, { email }, as(token));
    expect((await move('ada@other.example')).status).toBe(200);
    const [moved] = await sent();
    expect([moved!.to, (await plan('moved')).status]).toEqual(['ada@other.example', 403]);
    expect((await on.ask('PATCH', path, { text: 'moved' }, as(token))).status).toBe(403);
    expect((await move('ada@guild.example')).status).toBe(200);
    expect([(await plan('back')).status, await verify(moved!.code)]).toEqual([201, 422]);
    await sent();
  });

  test('a code to verify is asked for again, some times an hour, and is over some time', async () => {
    await signUp('bo');
    const token = await tokenOf('bo');
    const [first] = await sent();
    for (let at = 0; at < MOST_IN_AN_HOUR + 2; at += 1)
      expect((await on.ask('POST', '/me/verification', undefined, as(token))).status).toBe(202);
    const later = await sent();
    expect(later).toHaveLength(MOST_IN_AN_HOUR - 1);
    on.later(3_601);
    const again = await tokenOf('bo');
    expect((await on.ask('POST', '/me/verification', undefined, as(again))).status).toBe(202);
    expect(await sent()).toHaveLength(1);
    on.later(86_400);
    expect(await verify(first!.code)).toBe(422);
    expect((await on.ask('POST', '/me/verification')).status).toBe(401);
  });

  test('a new secret comes by a code, which is good once; all that was signed in is over', async () => {
    await signUp('cy');
    await sent();
    const token = await tokenOf('cy');
    expect((await askReset('  CY@guild.example ')).status).toBe(202);
    const [message] = await sent();
    expect([message!.kind, message!.to]).toEqual(['reset', 'cy@guild.example']);
    expect(message!.link).toBe(`https://guild.example/reset?code=${message!.code}`);
    // What is wrong with the secret leaves the code good.
    expect(rulesIn(await reset(message!.code, 'oak 7'))).toEqual(['/phrase minLength']);
    expect(rulesIn(await reset(message!.code, 'Baseball'))).toEqual(['/phrase common']);
    expect(rulesIn(await reset(message!.code, 'cy@Guild.example'))).toEqual(['/phrase login']);
    // A code proves one thing.
    expect(await verify(message!.code)).toBe(422);
    const all = await Promise.all(
      Array.from({ length: 6 }, (_, at) => reset(message!.code, `many stones in a row ${at}`)),
    );
    expect(all.map(({ status }) => status).sort()).toEqual([204, 422, 422, 422, 422, 422]);
    const phrase = `many stones in a row ${all.findIndex(({ status }) => status === 204)}`;
    expect((await signIn('cy')).status).toBe(401);
    expect((await on.ask('GET', '/me', undefined, as(token))).status).toBe(401);
    const anew = await tokenOf('cy', phrase);
    // The code came to the address, which is proved by it.
    expect((await on.ask('POST', '/plans', { text: 'a' }, as(anew))).status).toBe(201);
  });

  test('codes end with their time, with another secret, with another address, and with the record', async () => {
    const id = await signUp('di');
    await sent();
    const late = await codeFor('di');
    on.later(1_801);
    expect((await reset(late, 'many stones in a row')).status).toBe(422);
    const before = await codeFor('di');
    let token = await tokenOf('di');
    const change = await on.ask('POST', '/me/secret', { old_phrase: PHRASE, phrase: 'a row of stones' }, as(token));
    expect(change.status).toBe(200);
    expect((await reset(before, 'many stones in a row')).status).toBe(422);
    token = change.body.access_token as string;
    const elsewhere = await codeFor('di');
    expect((await on.ask('PATCH', `/members/${id}`, { email: 'di@other.example' }, as(token))).status).toBe(200);
    expect((await reset(elsewhere, 'many stones in a row')).status).toBe(422);
    await sent();
    await askReset('di@other.example');
    const [gone] = await sent();
    expect((await on.ask('DELETE', `/members/${id}`, undefined, as(token))).status).toBe(204);
    expect((await reset(gone!.code, 'many stones in a row')).status).toBe(422);
    // Another record begins with nothing of it.
    const { codes, verified } = Object.fromEntries(
      Object.entries(await on.everything()).map(([name, text]) => [name.replace('vantfell_', ''), text]),
    );
    expect([codes, verified].join()).not.toContain(id);
  });

  test('an address that nobody has is answered in the same way and time, and sends nothing', async () => {
    await signUp('eva');
    await sent();
    const [known, unknown] = [await askReset('eva@guild.example'), await askReset('nobody@guild.example')];
    const plain = ({ status, headers, body }: TestReply) => ({ status, headers, body: body as unknown });
    expect(plain(known)).toEqual(plain(unknown));
    expect(await sent()).toHaveLength(1);
    // Neither has looked at anything when the answer goes out.
    const times = { known: [] as number[], unknown: [] as number[] };
    for (let at = 0; at < 40; at += 1) {
      for (const which of ['known', 'unknown'] as const) {
        const begun = performance.now();
        await askReset(which === 'known' ? 'eva@guild.example' : `nobody-${at}@guild.example`);
        times[which].push(performance.now() - begun);
        await on.service.settled();
      }
    }
    // The one in the middle: a machine may do something else during any other.
    const usual = (all: number[]): number => [...all].sort((one, other) => one - other)[all.length / 2]!;
    expect(usual(times.known) / usual(times.unknown)).toBeLessThan(3);
    // However often somebody asks, the account is sent some an hour.
    expect((await sent()).length).toBe(MOST_IN_AN_HOUR - 1);
  });

  test('whoever sets their own secret gives the old one; no other way goes round that', async () => {
    const id = await signUp('fay');
    await sent();
    const [token, other] = [await tokenOf('fay'), await tokenOf('fay')];
    const change = (body: unknown, by = token) => on.ask('POST', '/me/secret', body, as(by));
    const plain = await on.ask('PATCH', `/members/${id}`, { phrase: 'a row of stones' }, as(token));
    expect([plain.status, plain.body.detail]).toEqual([403, expect.stringContaining('POST /me/secret')]);
    expect(rulesIn(await change({ old_phrase: 'not this one', phrase: 'a row of stones' }))).toEqual([
      '/old_phrase old',
    ]);
    expect(rulesIn(await change({ phrase: 'a row of stones' }))).toEqual(['/old_phrase required']);
    expect(rulesIn(await change({ old_phrase: PHRASE, phrase: 'trustno1' }))).toEqual(['/phrase common']);
    expect(rulesIn(await change({ old_phrase: PHRASE, phrase: ' FAY@guild.example' }))).toEqual(['/phrase login']);
    expect((await on.ask('POST', '/me/secret', { old_phrase: PHRASE, phrase: 'x' })).status).toBe(401);
    const changed = await change({ old_phrase: PHRASE, phrase: 'a row of stones' });
    expect([changed.status, changed.headers['cache-control']]).toEqual([200, 'no-store']);
    for (const old of [token, other]) expect((await on.ask('GET', '/me', undefined, as(old))).status).toBe(401);
    expect((await on.ask('GET', '/me', undefined, as(changed.body.access_token as string))).status).toBe(200);
    expect([(await signIn('fay')).status, (await signIn('fay', 'a row of stones')).status]).toEqual([401, 200]);
  });

  test('a secret that is common or the login is refused with all else that is wrong', async () => {
    const { status, body } = await on.ask('POST', '/members', { email: 'gus@guild.example', phrase: 'football' });
    expect([status, body.errors.map(({ pointer, rule }: Record<string, string>) => `${pointer} ${rule}`)]).toEqual([
      422,
      ['/name required', '/phrase common'],
    ]);
    const many = await on.ask('POST', '/members', [
      { name: 'gus', email: 'gus@guild.example', phrase: PHRASE },
      { name: 'gry', email: 'grethe-lind@guild.example', phrase: 'Grethe-Lind' },
    ]);
    expect([many.status, rulesIn(many)]).toEqual([422, ['/1/phrase login']]);
    expect(await sent()).toEqual([]);
  });

  test('nothing that was sent stands in the database', async () => {
    await signUp('hal');
    const [message] = await sent();
    const code = await codeFor('hal');
    const all = Object.values(await on.everything()).join('\n');
    for (const text of [message!.code, code, PHRASE]) expect(all).not.toContain(text);
    expect(all).toContain('hal@guild.example');
  });
});

test('codes that are guessed or asked for are counted by address, sign-ins by the login however spelled', async () => {
  const on = await openTestService(GUILD, {
    limits: { signIn: 3, codes: 4 },
    samples: false,
    send: () => undefined,
  });
  const body = { name: 'ada', email: 'ada@guild.example', phrase: PHRASE };
  expect((await on.ask('POST', '/members', body)).status).toBe(201);
  const spelled = ['ada@guild.example', 'ADA@guild.example', '  Ada@Guild.EXAMPLE ', 'ada@guild.example\u00a0'];
  const tried = await Promise.all(
    spelled.map((email) => on.ask('POST', '/tokens', { email, phrase: 'wrong' }, {}, 'a')),
  );
  expect(tried.map(({ status }) => status).sort()).toEqual([401, 401, 401, 429]);
  const guesses = await Promise.all(
    Array.from({ length: 6 }, (_, at) => on.ask('POST', '/verification', { code: `guess-${at}` }, {}, 'a')),
  );
  expect(guesses.map(({ status }) => status).sort()).toEqual([422, 422, 422, 422, 429, 429]);
  const asked = await on.ask('POST', '/reset', { email: 'ada@guild.example' }, {}, 'a');
  expect([asked.status, asked.headers['retry-after']]).toEqual([429, expect.any(String)]);
  expect((await on.ask('POST', '/reset', { email: 'ada@guild.example' }, {}, 'b')).status).toBe(202);
  // The old secret is guessed no oftener than at a sign-in.
  const { access_token: token } = (
    await on.ask('POST', '/tokens', body && { email: body.email, phrase: PHRASE }, {}, 'z')
  ).body as { access_token: string };
  const old = await Promise.all(
    Array.from({ length: 5 }, (_, at) =>
      on.ask(
        'POST',
        '/me/secret',
        { old_phrase: `guess ${at}`, phrase: 'a row of stones' },
        {
          authorization: `Bearer ${token}`,
        },
      ),
    ),
  );
  expect(old.map(({ status }) => status).sort()).toEqual([422, 422, 422, 429, 429]);
  await on.close();
});

test('a message that can not be sent is told to the log alone, and holds no other up', async () => {
  let release = (): void => undefined;
  const stuck = new Promise<void>((resolve) => (release = resolve));
  const box: string[] = [];
  const on = await openTestService(GUILD, {
    samples: false,
    send: (_kind, to) => {
      if (to.startsWith('broken')) throw new Error('the post is shut');
      box.push(to);
      return to.startsWith('slow') ? stuck : undefined;
    },
  });
  for (const name of ['broken', 'slow', 'quick']) {
    const { status } = await on.ask('POST', '/members', { name, email: `${name}@guild.example`, phrase: PHRASE });
    expect(status).toBe(201);
  }
  while (!box.includes('quick@guild.example')) await new Promise((resolve) => setImmediate(resolve));
  release();
  await on.service.settled();
  expect(on.defects).toEqual(['Error: the post is shut']);
  await on.close();
});
