import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createLocalJWKSet, exportJWK, generateKeyPair, SignJWT } from 'jose';
import { makeOutsideTokens } from '../../src/core/identity/tokens.ts';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestService } from '../kit/open-test-service.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';

const ARCHIVE = fileURLToPath(new URL('../fixtures/access/archive', import.meta.url));
const WORD = 'ada-knows-this-word';

const database = serverDatabases();

describe.each(kinds)('signing in, on %s', (kind) => {
  let on: TestService;
  beforeAll(async () => {
    on = await openTestService(ARCHIVE, {
      database: await database(kind, 'identity'),
    });
  });
  afterAll(() => on.close());

  const signIn = (name: unknown, word: unknown, client = '10.0.0.1') =>
    on.ask('POST', '/tokens', { name, word }, {}, client);
  const tokenOf = async (name: string, word = WORD): Promise<string> => {
    const { status, body } = await signIn(name, word);
    expect(status).toBe(200);
    return body.access_token as string;
  };
  const as = (token: string) => ({ authorization: `Bearer ${token}` });
  const me = (token: string) => on.ask('GET', '/me', undefined, as(token));

  test('a login and its secret give a token, which says who one is', async () => {
    const { status, body, headers } = await signIn('  ADA ', WORD);
    expect([status, body.type]).toEqual([401, '/problems/wrong-credentials']);
    expect(headers['www-authenticate']).toBe('Bearer');
    const right = await signIn('ADA', WORD);
    expect(right.body).toEqual({ access_token: expect.any(String), token_type: 'Bearer', expires_in: 3600 });
    expect(right.headers['cache-control']).toBe('no-store');
    const who = await me(right.body.access_token as string);
    expect(who.body.data).toMatchObject({ name: 'ada', nick: 'nick-of-ada-001' });
    expect(who.headers).toMatchObject({ vary: 'Authorization', 'cache-control': 'private', etag: expect.any(String) });
    const [, payload = ''] = String(right.body.access_token).split('.');
    const claims = JSON.parse(Buffer.from(payload, 'base64url').toString()) as object;
    expect(Object.keys(claims).sort()).toEqual(['aud', 'exp', 'iat', 'mark', 'sub']);
  });

  test('what is wrong is told in the same words, whatever it is', async () => {
    const wrong = [
      await signIn('ada', 'not-her-word'),
      await signIn('nobody-at-all', WORD),
      await signIn('x'.repeat(90), WORD),
    ];
    for (const { status, body } of wrong) {
      const { request: _number, ...rest } = body as Record<string, unknown>;
      expect([status, rest]).toEqual([
        401,
        expect.objectContaining({
          type: '/problems/wrong-credentials',
          detail: 'no person has this name and this word',
        }),
      ]);
    }
    expect((await signIn('ada', 5)).body.errors).toEqual([
      { pointer: '/word', rule: 'type', detail: expect.not.stringContaining('5') },
    ]);
    expect((await on.ask('POST', '/tokens', { name: 'ada' })).status).toBe(422);
    expect((await on.ask('POST', '/tokens', { name: 'ada', word: WORD, more: 1 })).status).toBe(422);
    expect((await on.ask('POST', '/tokens?x=1', { name: 'ada', word: WORD })).status).toBe(400);
    expect((await on.ask('POST', '/tokens', { name: 'ada', word: WORD }, { 'idempotency-key': 'k' })).status).toBe(400);
    expect((await on.ask('GET', '/tokens')).headers.allow).toBe('POST, OPTIONS');
    expect((await on.ask('GET', '/me')).status).toBe(401);
    expect((await on.ask('POST', '/tokens/revoke')).status).toBe(401);
  });

  test('a token is good for its time, its service and its database, as it was written', async () => {
    const token = await tokenOf('ada');
    const [header, payload, mac] = token.split('.') as [string, string, string];
    const told = (text: string): string => Buffer.from(text, 'base64url').toString();
    const made = (text: string): string => Buffer.from(text).toString('base64url');
    const forged = [
      `${header}.${made(told(payload).replace(/"sub":"[^"]+"/, '"sub":"01a20ac6-d246-77c9-be12-6bcd5ddfd14f"'))}.${mac}`,
      `${made('{"alg":"none"}')}.${payload}.`,
      `${made(told(header).replace('HS256', 'HS512'))}.${payload}.${mac}`,
      `${header}.${payload}.${mac.slice(0, -2)}AA`,
      'x.y.z',
      `${token}x`,
    ];
    for (const one of forged) {
      const { status, headers } = await me(one);
      expect([one, status, headers['www-authenticate']]).toEqual([one, 401, 'Bearer error="invalid_token"']);
    }
    // Even where nobody needs one.
    expect((await on.ask('GET', '/notes', undefined, as('x.y.z'))).status).toBe(401);
    expect((await on.ask('GET', '/notes', undefined, { authorization: 'Basic YTpi' })).status).toBe(401);
    expect((await me(token)).status).toBe(200);
    on.later(3601);
    expect((await me(token)).status).toBe(401);
    const other = await openTestService(ARCHIVE, {});
    expect((await other.ask('GET', '/me', undefined, as(await tokenOf('ada')))).status).toBe(401);
    await other.close();
  });

  test('another key signs, and what the one before signed is still known', async () => {
    const token = await tokenOf('ada');
    const both = on.again(['another-key-another-key-another-key-1', ...on.keys]);
    const alone = on.again(['another-key-another-key-another-key-1']);
    expect((await both.ask('GET', '/me', undefined, as(token))).status).toBe(200);
    expect((await alone.ask('GET', '/me', undefined, as(token))).status).toBe(401);
    const list = await on.ask('GET', '/notes?limit=1', undefined, as(token));
    expect((await both.ask('GET', String(list.body.page.next), undefined, as(token))).status).toBe(200);
    expect((await alone.ask('GET', String(list.body.page.next), undefined, {})).status).toBe(400);
  });

  test('revoking, and another secret, end older tokens at once', async () => {
    const [one, two] = [await tokenOf('bo', 'bo-knows-this-word-too'), await tokenOf('bo', 'bo-knows-this-word-too')];
    expect((await on.ask('POST', '/tokens/revoke', undefined, as(one))).status).toBe(204);
    expect([(await me(one)).status, (await me(two)).status]).toEqual([401, 401]);
    const three = await tokenOf('bo', 'bo-knows-this-word-too');
    const { id } = (await me(three)).body.data as { id: string };
    expect((await on.ask('PATCH', `/people/${id}`, { motto: 'Same.' }, as(three))).status).toBe(200);
    expect((await me(three)).status).toBe(200);
    expect((await on.ask('PATCH', `/people/${id}`, { word: 'bo-has-another-word' }, as(three))).status).toBe(200);
    expect((await me(three)).status).toBe(401);
    expect((await signIn('bo', 'bo-knows-this-word-too')).status).toBe(401);
    expect((await me(await tokenOf('bo', 'bo-has-another-word'))).status).toBe(200);
  });

  test('a token that ended since it was looked at changes nothing of its own record', async () => {
    const other = on.again(on.keys);
    const made = await on.ask('POST', '/people', { name: 'eli', word: 'eli-knows-this-word' });
    const path = `/people/${made.body.data.id}`;
    const token = await tokenOf('eli', 'eli-knows-this-word');
    const patch = (at: typeof other, body: object) => at.ask('PATCH', path, body, as(token));
    expect((await patch(on, { motto: 'Here.' })).status).toBe(200);
    expect((await other.ask('GET', '/me', undefined, as(token))).status).toBe(200);
    const words = ['eli-has-another-word', 'eli-has-a-third-word'];
    const both = await Promise.all(words.map((word) => patch(on, { word })));
    expect(both.map(({ status }) => status).sort()).toEqual([200, 401]);
    // The other instance still takes it for good.
    expect((await other.ask('GET', '/me', undefined, as(token))).status).toBe(200);
    expect((await patch(other, { word: 'eli-lost-this-word' })).status).toBe(401);
    const [kept] = words.filter((_, at) => both[at]!.status === 200);
    const anew = as(await tokenOf('eli', kept));
    expect((await on.ask('GET', '/me', undefined, anew)).body.data).toMatchObject({ motto: 'Here.' });
    // A refusal tells of it, too, where the record went meanwhile.
    const keeper = as(await tokenOf('kit', 'kit-knows-this-word'));
    const [own, gone] = await Promise.all([
      on.ask('PATCH', path, { motto: 'Still.' }, anew),
      on.ask('DELETE', path, undefined, keeper),
    ]);
    expect([200, 401]).toContain(own.status);
    expect(gone.status).toBe(204);
  });

  test('roles and records are as they are now: who is gone has no token any more', async () => {
    const keeper = await tokenOf('kit', 'kit-knows-this-word');
    const made = await on.ask('POST', '/people', { name: 'dee', word: 'dee-knows-this-word' });
    expect([made.status, Object.keys(made.body.data as object)]).toEqual([201, ['id']]);
    const path = `/people/${made.body.data.id}`;
    const dee = await tokenOf('dee', 'dee-knows-this-word');
    expect((await on.ask('GET', '/badges', undefined, as(dee))).status).toBe(403);
    expect((await on.ask('POST', '/tags', { name: 'by-dee' }, as(dee))).status).toBe(403);
    expect((await on.ask('PATCH', path, { roles: ['keeper'] }, as(dee))).status).toBe(403);
    expect((await on.ask('PATCH', path, { roles: ['keeper'] }, as(keeper))).status).toBe(200);
    expect((await on.ask('POST', '/tags', { name: 'by-dee' }, as(dee))).status).toBe(201);
    // A secret is for its owner, and whoever makes the record.
    expect((await on.ask('PATCH', path, { word: 'kit-chose-this-word' }, as(keeper))).status).toBe(403);
    expect((await on.ask('DELETE', path, undefined, as(keeper))).status).toBe(204);
    expect((await me(dee)).status).toBe(401);
    expect((await signIn('dee', 'dee-knows-this-word')).status).toBe(401);
  });

  test('another process may change what this one knows: it is read again after five seconds', async () => {
    const token = await tokenOf('cy', 'cy-knows-this-word-too');
    expect((await on.ask('POST', '/tags', { name: 'by-cy' }, as(token))).status).toBe(403);
    const other = on.again(on.keys);
    const keeper = await tokenOf('kit', 'kit-knows-this-word');
    const { id } = (await me(token)).body.data as { id: string };
    expect((await other.ask('PATCH', `/people/${id}`, { roles: ['keeper'] }, as(keeper))).status).toBe(200);
    expect((await on.ask('POST', '/tags', { name: 'by-cy' }, as(token))).status).toBe(403);
    on.later(5);
    expect((await on.ask('POST', '/tags', { name: 'by-cy' }, as(token))).status).toBe(201);
    expect((await other.ask('PATCH', `/people/${id}`, { roles: [] }, as(keeper))).status).toBe(200);
    on.later(5);
  });
});

describe('limits', () => {
  test('failed sign-ins are counted by login and address, and ten times as many by address', async () => {
    const on = await openTestService(ARCHIVE, { limits: { signIn: 3 } });
    const signIn = (name: string, client: string, word = 'wrong-wrong') =>
      on.ask('POST', '/tokens', { name, word }, {}, client);
    for (let at = 0; at < 3; at += 1) expect((await signIn('ada', 'a')).status).toBe(401);
    const late = await signIn('ADA', 'a', WORD);
    expect([late.status, late.headers['retry-after'], late.body.type]).toEqual([
      429,
      // As many seconds as are left by now.
      expect.stringMatching(/^(1\d|20)$/),
      '/problems/too-many-requests',
    ]);
    expect((await signIn('ada', 'b', WORD)).status).toBe(200);
    expect((await signIn('cy', 'a')).status).toBe(401);
    on.later(20);
    expect((await signIn('ada', 'a', WORD)).status).toBe(200);
    // What succeeds is not counted.
    expect((await signIn('ada', 'a', WORD)).status).toBe(200);
    // All at once: some are given back while a slow machine looks at them one by one.
    const many = await Promise.all(Array.from({ length: 31 }, (_, at) => signIn(`nobody-${at}`, 'c')));
    expect(many.map(({ status }) => status).sort()).toEqual([...Array<number>(30).fill(401), 429]);
    // Guesses that come at once are counted before they are looked at.
    const guesses = await Promise.all(Array.from({ length: 12 }, () => signIn('bo', 'd')));
    expect(guesses.filter(({ status }) => status === 401)).toHaveLength(3);
    await on.close();
  });

  test('requests are counted by caller, and by address where nobody has signed in', async () => {
    const on = await openTestService(ARCHIVE, { limits: { rate: 5 } });
    const { access_token } = (await on.ask('POST', '/tokens', { name: 'ada', word: WORD }, {}, 'a')).body as {
      access_token: string;
    };
    const asked = async (client: string, headers = {}): Promise<number> =>
      (await on.ask('GET', '/notes', undefined, headers, client)).status;
    for (let at = 0; at < 4; at += 1) expect(await asked('a')).toBe(200);
    expect(await asked('a')).toBe(429);
    expect(await asked('b')).toBe(200);
    const token = { authorization: `Bearer ${access_token}` };
    for (let at = 0; at < 5; at += 1) expect(await asked(`c${at}`, token)).toBe(200);
    expect(await asked('z', token)).toBe(429);
    on.later(12);
    expect([await asked('a'), await asked('a')]).toEqual([200, 429]);
    expect((await on.ask('GET', '/health/live', undefined, {}, 'a')).status).toBe(200);
    await on.close();
  });
});

describe('an outside issuer', () => {
  const ISSUER = 'https://issuer.example';
  const PROJECT = {
    'vantfell.yaml':
      'service: { name: Guests }\nkey: guests-key-guests-key-guests-key-guests\n' +
      'identity: { model: visitor, subject: sub, roles: roles, tokens: { jwks: keys.json, ' +
      `issuer: "${ISSUER}", audience: guests, create: { name: name, email: email } } }\n`,
    'models/visitor.yaml':
      'model: visitor\nfields:\n  sub: { type: string, required: true, unique: true, ' +
      'maxLength: 80 }\n  name: { type: string, required: true, maxLength: 40 }\n' +
      '  email: { type: email }\n  roles: { type: array, items: { enum: [host] }, default: [] ' +
      '}\nmay: { read: owner, update: owner, create: nobody, delete: owner }\n',
  };

  test('its tokens are held to algorithm, issuer, audience and time; who is new gets a record', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'vantfell-issuer-'));
    const { publicKey, privateKey } = await generateKeyPair('ES256');
    const { privateKey: strange } = await generateKeyPair('ES256');
    const keys = { keys: [{ ...(await exportJWK(publicKey)), kid: 'one', alg: 'ES256' }] };
    writeFileSync(join(folder, 'keys.json'), JSON.stringify(keys));
    const on = await openTestService(folder, {
      files: PROJECT,
      outside: makeOutsideTokens(ISSUER, 'guests', createLocalJWKSet(keys)),
    });
    const seconds = (): number => Math.floor(on.now().getTime() / 1000);
    const token = (
      claims: Record<string, unknown> = {},
      more: { key?: typeof privateKey; alg?: string; exp?: number | null; iat?: number } = {},
    ): Promise<string> => {
      const { exp = seconds() + 60, iat = seconds() } = more;
      const jwt = new SignJWT({
        iss: ISSUER,
        aud: 'guests',
        sub: 'visitor-1',
        name: 'Ylva',
        email: 'ylva@guests.example',
        iat,
        ...claims,
      });
      if (exp !== null) jwt.setExpirationTime(exp);
      return jwt.setProtectedHeader({ alg: 'ES256', kid: 'one' }).sign(more.key ?? privateKey);
    };
    const me = async (text: string) => on.ask('GET', '/me', undefined, { authorization: `Bearer ${text}` });

    const first = await me(await token());
    expect([first.status, first.body.data]).toEqual([
      200,
      expect.objectContaining({ sub: 'visitor-1', name: 'Ylva', roles: [] }),
    ]);
    expect((await me(await token())).body.data.id).toBe(first.body.data.id);
    for (const bad of [
      token({ iss: 'https://other.example' }),
      token({ aud: 'others' }),
      token({ sub: '' }),
      token({}, { key: strange }),
      token({}, { exp: null }),
      token({}, { exp: seconds() - 1 }),
      // A new visitor whose claims make no record.
      token({ sub: 'visitor-2', name: 5 }),
      token({ sub: 'visitor-3', name: undefined }),
      // The public key as if it were a secret.
      new SignJWT({ iss: ISSUER, aud: 'guests', sub: 'visitor-1' })
        .setProtectedHeader({ alg: 'HS256', kid: 'one' })
        .setExpirationTime(seconds() + 60)
        .sign(new TextEncoder().encode(JSON.stringify(keys.keys[0]))),
    ]) {
      expect((await me(await bad)).status).toBe(401);
    }
    const many = await Promise.all(Array.from({ length: 5 }, async () => me(await token({ sub: 'visitor-9' }))));
    expect(new Set(many.map(({ status, body }) => `${status} ${body.data?.id}`)).size).toBe(1);
    // Those that were issued before are over, later ones are good.
    const old = await token({}, { iat: seconds() - 10 });
    expect(
      (await on.ask('POST', '/tokens/revoke', undefined, { authorization: `Bearer ${await token()}` })).status,
    ).toBe(204);
    expect((await me(old)).status).toBe(401);
    on.later(2);
    expect((await me(await token())).status).toBe(200);
    expect((await me(await token({ iat: undefined }))).status).toBe(401);
    expect((await on.ask('POST', '/tokens', { name: 'x', word: 'y' })).status).toBe(404);
    await on.close();
    rmSync(folder, { recursive: true });
  });
});
