import { fork } from 'node:child_process';
import type { ChildProcess } from 'node:child_process';
import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { kinds, serverDatabases } from '../kit/databases.ts';
import { folderWith, vantfell } from '../kit/program.ts';
import { raw } from '../kit/raw.ts';

// No single request keeps the serving thread for more than a tenth of a second, whatever it holds: the largest,
// longest, deepest and most unusual of every part, to every kind of endpoint.

const MOST_MS = 100;
/** What `watch-loop.mjs` measures as the pace of a quiet machine, in milliseconds; a slower one is given more time. */
const QUIET_PACE = 14;
/** A machine that does something else now and then is given another chance: the request is what counts. */
const TRIES = 10;

const at = (name: string): string => fileURLToPath(new URL(name, import.meta.url));
const database = serverDatabases();

const MB = 1_000_000;
const filled = (text: string, size: number): string => text.repeat(Math.floor(size / Buffer.byteLength(text)));
const list = (count: number, text: (at: number) => string): string =>
  Array.from({ length: count }, (_one, n) => text(n)).join(',');
const filter = (text: string): string => `filter=${encodeURIComponent(text)}`;
const note = (members: string): string => `{"title":"x",${members}}`;

interface Sent {
  readonly what: string;
  readonly method: string;
  readonly target: string;
  readonly body?: string;
  readonly headers?: Readonly<Record<string, string>>;
}

/** `big` is the key of a note with a megabyte of text, `small` that of one with little. */
function corpus({ big, small }: { big: string; small: string }): Sent[] {
  const get = (what: string, target: string, headers = {}): Sent => ({ what, method: 'GET', target, headers });
  const send =
    (method: string, target: string) =>
    (what: string, body: string, headers = {}): Sent => ({ what, method, target, body, headers });
  const post = send('POST', '/notes');
  const patch = (what: string, steps: string, key = big): Sent =>
    send('PATCH', `/notes/${key}`)(what, steps, { 'content-type': 'application/json-patch+json' });
  const merge = (what: string, body: string, key = small): Sent =>
    send('PATCH', `/notes/${key}`)(what, body, { 'content-type': 'application/merge-patch+json' });
  const json = (args: string): string => `filter-lang=cql2-json&${filter(args)}`;
  return [
    ...[
      ['every text through letters', filter("CASEI(tale) = CASEI('x') OR ACCENTI(tale) = 'x' OR upper(tale) = 'X'")],
      ['letters of one key', filter(`id = '${big}' AND CASEI(ACCENTI(lower(upper(tale)))) = 'x'`)],
      ['letters of one key, as a parameter', `id=${big}&${filter("CASEI(tale) LIKE CASEI('%é%x%')")}`],
      ['a pattern of many parts', filter(`tale LIKE '${'%a'.repeat(1_500)}%'`)],
      ['a pattern of one key', filter(`id = '${big}' AND tale LIKE '${'%é_'.repeat(500)}%'`)],
      ['many terms', filter(list(180, (n) => `count = ${n}`).replaceAll(',', ' OR '))],
      ['many values', filter(`title IN (${list(600, (n) => `'v${n}'`)})`)],
      ['many parentheses', filter(`${'('.repeat(900)}count = 1${')'.repeat(900)}`)],
      ['many NOTs', filter(`${'NOT '.repeat(900)}count = 1`)],
      ['a long number', filter(`price = ${'9'.repeat(7_000)}`)],
      ['a long text', filter(`title = '${'é'.repeat(1_100)}'`)],
      ['much arithmetic', filter(`count${'*2'.repeat(400)} = 1`)],
      ['much power', filter(`weight${'^2'.repeat(60)} = 1`)],
      ['a deep JSON filter', json(`${'{"op":"not","args":['.repeat(100)}true${']}'.repeat(100)}`)],
      ['a list of tags', filter(`A_OVERLAPS(tags, (${list(300, (n) => `'t${n}'`)}))`)],
      ['many parameters', list(1_500, (n) => `p${n}=1`).replaceAll(',', '&')],
      ['one parameter, often', 'count=1&'.repeat(800)],
      ['many names', `fields=${list(1_500, (n) => `n${n}`)}`],
      ['many orders', `sort=${list(1_500, (n) => `n${n}`)}`],
      ['many includes', `include=${list(900, (n) => `author${n}`)}`],
      ['a deep include', `include=${'author.'.repeat(1_000)}author`],
      ['a far offset', 'offset=999999999&total=true'],
      ['a long cursor', `after=${'A'.repeat(7_500)}`],
      ['a megabyte, a hundred times', 'limit=100&sort=-count'],
      ['a megabyte, with ETags', 'limit=25&sort=-count&etags=true'],
      ['loud letters', 'fields=loud&limit=50'],
      ['broken encodings', '%'.repeat(7_000)],
      ['a long word', 'a'.repeat(7_900)],
    ].map(([what, query]) => get(`a list: ${what}`, `/notes?${query}`)),
    get('a record of a megabyte', `/notes/${big}`),
    get('a record in loud letters', `/notes/${big}?fields=loud`),
    get('a record under many tags', `/notes/${small}`, { 'if-none-match': list(900, (n) => `"tag-${n}"`) }),
    get('a journal', `/notes/${big}/journal`),
    get('the journal of all', `/notes/journal?${filter("changes IS NOT NULL AND action = 'create'")}`),
    get('a long path', `/${'a/'.repeat(3_900)}`),
    get('a long key', `/notes/${'%F0%9D%92%B3'.repeat(600)}`),
    get('a long token', '/me', {
      authorization: `Bearer ${'a'.repeat(5_000)}.${'b'.repeat(5_000)}.${'c'.repeat(3_000)}`,
    }),
    get('many media types', '/notes', { accept: list(1_200, (n) => `a/b${n};q=0.${n % 10}`) }),
    get('many languages', '/notes', { 'accept-language': list(2_000, () => 'en') }),
    get('many addresses', '/notes', { 'x-forwarded-for': list(1_000, () => '10.0.0.1') }),
    get('the document', '/openapi.json'),
    ...(
      [
        ['a megabyte of text', note(`"tale":"${filled('a', 0.99 * MB)}"`)],
        ['a megabyte of letters', note(`"tale":"${filled('é𝒳ß', 0.99 * MB)}"`)],
        ['a megabyte of escapes', note(`"tale":"${filled('\\u00e9', 0.99 * MB)}"`)],
        ['a megabyte in a code', note(`"code":"${filled('a-', 0.99 * MB)}"`)],
        ['a code of its longest', note(`"code":"${filled('a-', 19_999)}!"`)],
        ['a megabyte in an address', note(`"site":"https://${filled('a.', 0.99 * MB)}"`)],
        ['an address of its longest', note(`"site":"https://${filled('a.', 9_900)}%"`)],
        ['a megabyte of marks in a title', `{"title":"${filled('e\u0301', 0.99 * MB)}"}`],
        ['a megabyte of digits', note(`"price":${filled('9', 0.99 * MB)}`)],
        ['a megabyte of digits as text', note(`"price":"${filled('9', 0.99 * MB)}"`)],
        ['a number with a megabyte of zeros', note(`"count":0.${filled('0', 0.99 * MB)}1`)],
        [
          'many long numbers',
          note(`"sizes":[${list(9_900, (n) => `${n}.00000000000000000000000000000000000000001`)}]`),
        ],
        ['many numbers that doubles can not hold', note(`"extra":[${list(40_000, (n) => `1234567890123456${n}`)}]`)],
        ['many numbers of seventeen digits', note(`"extra":[${list(40_000, () => '0.10000000000000001')}]`)],
        ['as many values as may be', note(`"extra":[${list(149_000, () => '1')}]`)],
        ['more values than may be', note(`"extra":[${list(450_000, () => '1')}]`)],
        ['many wrong values', note(`"sizes":[${list(140_000, () => '-1')}]`)],
        ['as many wrong values as are looked at', note(`"sizes":[${list(10_000, () => '"x"')}]`)],
        ['many right values', note(`"sizes":[${list(10_000, () => '1')}]`)],
        ['many wrong texts', note(`"tags":[${list(10_000, () => '"a text that is longer than twenty letters"')}]`)],
        ['many lists', note(`"extra":[${list(60_000, () => '[]')}]`)],
        ['many names', note(list(40_000, (n) => `"name_${n}":1`))],
        ['many names that are near', note(list(40_000, (n) => `"titl${n}":1`))],
        ['many members', note(`"extra":{${list(60_000, (n) => `"m${n}":1`)}}`)],
        ['long names', note(`"${filled('a', 0.98 * MB)}":1`)],
        ['deep lists', `${'['.repeat(0.49 * MB)}${']'.repeat(0.49 * MB)}`],
        ['lists as deep as may be', note(`"extra":${'['.repeat(60)}1${']'.repeat(60)}`)],
        ['a megabyte of blanks', `${filled(' ', 0.99 * MB)}{"title":"x"}`],
        ['JSON that breaks off at its end', note(`"extra":[${list(140_000, () => '1')}`)],
        ['a text that breaks off', `{"title":"${filled('a', 0.99 * MB)}`],
        ['broken UTF-8', Buffer.from([0x7b, 0xff, 0xfe]).toString('latin1')],
        ['names twice', note(`"extra":{${list(30_000, (n) => `"m${n % 29_999}":1`)}}`)],
        ['many records of one name', `[${list(2_000, () => '{"title":"the same"}')}]`],
        ['many records', `[${list(9_999, (n) => `{"title":"r${n}","count":${n}}`)}]`],
        ['many wrong records', `[${list(9_999, () => '{"titel":1}')}]`],
      ] as const
    ).map(([what, body]) => post(`a creation: ${what}`, body)),
    post('a creation with a long key', note('"count":1'), { 'idempotency-key': 'k'.repeat(255) }),
    patch('a patch of a thousand copies', `[${list(1_000, () => '{"op":"copy","from":"/tale","path":"/extra/a"}')}]`),
    patch('a patch that doubles', `[${list(1_000, () => '{"op":"copy","from":"/extra","path":"/extra/more"}')}]`),
    patch('a patch that tests a megabyte', `[${list(1_000, () => `{"op":"test","path":"/tale","value":"x"}`)}]`),
    patch(
      'a patch of a thousand insertions',
      `[{"op":"replace","path":"/extra","value":[${list(60_000, () => '1')}]},${list(900, () => '{"op":"add","path":"/extra/0","value":1}')}]`,
    ),
    patch(
      'a patch of a thousand moves',
      `[${list(1_000, (n) => `{"op":"move","from":"/${n % 2 === 0 ? 'tale' : 'code'}","path":"/${n % 2 === 0 ? 'code' : 'tale'}"}`)}]`,
    ),
    patch('a patch of long pointers', `[${list(60, () => `{"op":"remove","path":"/extra${'/a'.repeat(7_000)}"}`)}]`),
    merge('a merge of a megabyte', `{"extra":{${list(60_000, (n) => `"m${n}":null`)}}}`),
    merge('a merge of a deep patch', `{"extra":${'{"a":'.repeat(60)}1${'}'.repeat(60)}}`),
    send('PUT', `/notes/${small}`)('a replacement of a megabyte', note(`"extra":"${filled('é', 0.9 * MB)}"`)),
    send('POST', '/tokens')(
      'a sign-in with a megabyte',
      `{"email":"ada@attacked.example","passphrase":"${filled('e\u0301', 0.9 * MB)}"}`,
    ),
    send('POST', '/tokens')(
      'a sign-in with a long login',
      `{"email":"${filled('a', 0.9 * MB)}@attacked.example","passphrase":"x"}`,
    ),
    send('POST', '/people')(
      'a person with a megabyte of a secret',
      `{"name":"m${Math.random()}","email":"m${Math.random()}@attacked.example","passphrase":"${filled('e\u0301', 0.9 * MB)}"}`,
    ),
    send('POST', '/people')(
      'ten secrets',
      `[${list(10, (n) => `{"name":"s${n}${Math.random()}","email":"s${n}${Math.random()}@attacked.example","passphrase":"x"}`)}]`,
    ),
    send('POST', '/players')('a player of nowhere', '{"name":"x","team_id":"0198c0de-0000-7000-8000-000000000000"}'),
    {
      what: 'a deletion of many by letters',
      method: 'DELETE',
      target: `/notes?${filter("CASEI(tale) LIKE CASEI('%no such é%')")}`,
    },
    {
      what: 'a deletion of one by letters',
      method: 'DELETE',
      target: `/notes?id=${big}&${filter("CASEI(tale) LIKE CASEI('%no such é%')")}`,
    },
    { what: 'an OPTIONS', method: 'OPTIONS', target: '/notes', headers: { origin: `https://${'a'.repeat(7_000)}` } },
    { what: 'another method', method: 'PROPFIND', target: '/notes' },
  ];
}

describe.each(kinds)('on %s', (kind) => {
  let service: ChildProcess;
  let url = '';
  let token = '';
  const tell = (what: 'begin' | 'end'): Promise<number> =>
    new Promise((resolve) => {
      service.once('message', ({ milliseconds, pace }: { milliseconds: number; pace: number }) =>
        resolve(milliseconds / Math.max(1, pace / QUIET_PACE)),
      );
      service.send(what);
    });

  beforeAll(async () => {
    const folder = folderWith();
    cpSync(at('../fixtures/attacked'), folder, { recursive: true });
    const file = join(folder, 'vantfell.yaml');
    const store = (await database(kind, 'budget')) ?? 'sqlite:./data.db';
    writeFileSync(file, `${readFileSync(file, 'utf8').replace('sign-in', 'sign-in')}store: "${store}"\n`);
    service = fork(at('../../dist/cli/main.js'), ['serve', '-C', folder, '--port', '0', '--json', '--quiet'], {
      execArgv: ['--import', at('../kit/watch-loop.mjs')],
      stdio: ['ignore', 'pipe', 'inherit', 'ipc'],
    });
    url = await new Promise<string>((resolve) => {
      let out = '';
      service.stdout!.on('data', (chunk: Buffer) => {
        out += chunk.toString();
        if (out.trimEnd().endsWith('}')) resolve((JSON.parse(out) as { url: string }).url);
      });
    });
    await raw(`${url}/people`, {
      method: 'POST',
      body: '{"name":"ada","email":"ada@attacked.example","passphrase":"grey stones"}',
    });
    token = (await vantfell(['token', 'ada', '-C', folder, '--quiet'])).out.trim();
  });
  afterAll(async () => {
    const ended = new Promise((resolve) => service.once('exit', resolve));
    service.kill();
    await ended;
  });

  test('no request keeps the thread for more than a tenth of a second', async () => {
    const authorization = `Bearer ${token}`;
    const made = async (body: string): Promise<string> => {
      const answer = await raw(`${url}/notes`, { method: 'POST', body, headers: { authorization } });
      expect([answer.status, answer.body.slice(0, 200)]).toEqual([201, expect.anything()]);
      return (JSON.parse(answer.body) as { data: { id: string } }).data.id;
    };
    const big = await made(note(`"tale":"${filled('aé𝒳', 0.95 * MB)}","extra":{"a":1}`));
    for (let n = 0; n < 4; n += 1) await made(note(`"tale":"${filled('bé', 0.95 * MB)}","tags":["t${n}"]`));
    for (let n = 0; n < 50; n += 1) await made(note(`"text":"${'é𝒳'.repeat(5_000)}"`));
    const small = await made(note('"count":1'));
    const worst: { readonly what: string; readonly status: number; readonly milliseconds: number }[] = [];
    for (const { what, method, target, body, headers = {} } of corpus({ big, small })) {
      let [milliseconds, status] = [Infinity, 0];
      for (let tries = 0; tries < TRIES && milliseconds > MOST_MS; tries += 1) {
        await tell('begin');
        const answer = await raw(url + target, { method, body, headers: { authorization, ...headers } });
        const kept = await tell('end');
        if (kept < milliseconds) [milliseconds, status] = [kept, answer.status];
      }
      worst.push({ what, status, milliseconds });
    }
    worst.sort((one, other) => other.milliseconds - one.milliseconds);
    if (process.env.VANTFELL_BUDGET !== undefined)
      writeFileSync(`${process.env.VANTFELL_BUDGET}.${kind}`, JSON.stringify(worst));
    expect(worst.filter(({ milliseconds }) => milliseconds > MOST_MS)).toEqual([]);
    expect(worst.filter(({ status }) => status >= 500 && status !== 503)).toEqual([]);
  });
});
