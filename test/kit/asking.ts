import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { newDatabase, startPostgres } from './postgres.mjs';
import type { TestPostgres } from './postgres.mjs';
import { demoFolder, vantfell } from './program.ts';

interface Explained {
  readonly statements: readonly {
    served: boolean;
    verdict: string;
    plan: { table?: string }[];
    add: unknown;
    but: string[];
  }[];
}

/** What `send` and `explain` do, in the demo on one kind of database. */
export function askingOn(kind: 'sqlite' | 'postgres'): void {
  let postgres: TestPostgres | undefined;
  beforeAll(async () => void (postgres = kind === 'sqlite' ? undefined : await startPostgres()));
  afterAll(() => postgres?.stop());

  /** The demo with its samples, in a database of its own. */
  async function seeded(): Promise<string> {
    const folder = demoFolder();
    const file = join(folder, 'vantfell.yaml');
    if (postgres !== undefined) {
      const address = await newDatabase(postgres, 'asking');
      writeFileSync(file, readFileSync(file, 'utf8').replace(/^store: .*$/m, `store: ${address}`));
    }
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    return folder;
  }

  describe(`send, on ${kind}`, () => {
    let folder: string;
    beforeAll(async () => void (folder = await seeded()));
    const send = (...words: string[]) => vantfell(['send', ...words, '-C', folder]);

    test('shows the status, the headers, the body and the SQL behind it, and no value that SQL was given', async () => {
      const ran = await send('GET', '/v1/huts?name=Grey%20Hut&fields=name,beds');
      expect(ran).toMatchObject({ code: 0, err: '' });
      expect(ran.out).toMatch(/^200 OK {2}\d/);
      expect(ran.out).toContain('\ncontent-type: application/json\n');
      expect(ran.out).toContain('"data": [{"name": "Grey Hut", "beds": 40}]');
      const [, sql] = ran.out.split('\n1 statement\n');
      expect(sql).toMatch(/ ms, 1 row\n {2}SELECT\n/);
      expect(sql).not.toContain('Grey Hut');
    });

    test('writes as somebody of the samples, in a transaction; a sample in braces stands for its key', async () => {
      const words = ['PATCH', '/v1/huts/{hut/grey-hut}', '{"beds": 38}', '--json'];
      const stranger = JSON.parse((await send(...words)).out) as object;
      expect(stranger).toMatchObject({ status: 401, body: { title: 'Somebody has to sign in for this' } });
      const warden = await send(...words, '--as', 'member/ines');
      expect(warden.code).toBe(0);
      expect(JSON.parse(warden.out)).toMatchObject({ status: 200, body: { data: { name: 'Grey Hut', beds: 38 } } });
      const kept = await send('get', '/v1/huts/{hut/grey-hut}?fields=beds', '--json');
      expect(JSON.parse(kept.out)).toMatchObject({ status: 200, body: { data: { beds: 38 } } });
      const traced = await send('PATCH', '/v1/huts/{hut/grey-hut}', '{"beds": 40}', '--as', 'ines');
      expect(traced.out).toMatch(/\nBEGIN\n[\s\S]*UPDATE[\s\S]*\nCOMMIT\n/);
    });

    test('a sample in braces stands for its key in a body, too, where there is such a model', async () => {
      const sent = await send(
        'POST',
        '/v1/stays',
        '{"night_id": "{night/raven-hut-0611}", "party": 1, "note": "{a/b}"}',
        '--as',
        'tor',
        '--json',
      );
      expect(JSON.parse(sent.out)).toMatchObject({ status: 201, body: { data: { party: 1, note: '{a/b}' } } });
      const lost = await send('POST', '/v1/stays', '{"night_id": "{night/raven-hut-061}", "party": 1}', '--as', 'tor');
      expect([lost.code, lost.err]).toEqual([1, expect.stringContaining('did you mean night/raven-hut-061')]);
    });

    test('takes headers, and exits with 1 where the answer is a problem', async () => {
      const stale = await send(
        'PATCH',
        '/v1/huts/{hut/grey-hut}',
        '{"beds": 3}',
        '--as',
        'ines',
        '-H',
        'If-Match: "old"',
      );
      expect(stale.code).toBe(1);
      expect(stale.out).toMatch(/^412 Precondition Failed/);
      const lost = await send('GET', '/v1/hutz');
      expect(lost.code).toBe(1);
      expect(lost.out).toContain('did you mean /v1/huts');
    });
  });

  describe(`explain, on ${kind}`, () => {
    let folder: string;
    beforeAll(async () => void (folder = await seeded()));
    const explain = async (...words: string[]): Promise<Explained> =>
      JSON.parse((await vantfell(['explain', ...words, '-C', folder, '--json'])).out) as Explained;

    test('tells an index that serves a list, a record by its key, and what none can serve', async () => {
      const [list] = (await explain('GET', '/v1/huts?sort=name')).statements;
      expect(list).toMatchObject({ served: true, add: null, but: [] });
      const [record] = (await explain('GET', '/v1/huts/{id}')).statements;
      expect(record).toMatchObject({ served: true, add: null });
      const [searched] = (await explain('GET', "/v1/reports?filter=title%20LIKE%20'%25e%25'")).statements;
      expect(searched).toMatchObject({ served: false, add: null, but: [expect.stringContaining('LIKE')] });
    });

    test('the index that it tells to add serves the list, once it is there', async () => {
      const path = '/v1/huts?kind=staffed&sort=-beds&fields=name';
      const [before] = (await explain('GET', path)).statements;
      expect(before).toMatchObject({ served: false, add: { model: 'hut', index: ['kind', 'beds'] } });
      const text = await vantfell(['explain', 'GET', path, '-C', folder]);
      expect(text.out).toContain('→ in the model hut, add to index: [[kind, beds]]');
      const file = join(folder, 'models/hut.yaml');
      writeFileSync(
        file,
        readFileSync(file, 'utf8').replace('  - [valley, altitude_m]', '  - [valley, altitude_m]\n  - [kind, beds]'),
      );
      expect((await vantfell(['migrate', 'draft', '-C', folder])).code).toBe(0);
      expect((await vantfell(['migrate', 'run', '-C', folder])).code).toBe(0);
      const [after] = (await explain('GET', path)).statements;
      expect(after).toMatchObject({ served: true, add: null });
    });

    test('a write is explained with all of its statements, and nothing of it is kept', async () => {
      const path = '/v1/huts/{hut/raven-hut}';
      const write = await explain('PATCH', path, '{"beds": 3}', '--as', 'tor');
      expect(write.statements.length).toBeGreaterThan(3);
      expect(write.statements.every(({ served }) => served)).toBe(true);
      const kept = await vantfell(['send', 'GET', `${path}?fields=beds`, '-C', folder, '--json']);
      expect(JSON.parse(kept.out)).toMatchObject({ body: { data: { beds: 16 } } });
    });
  });
}
