// A pooler in transaction mode, a real one: each transaction meets another connection of fewer than a service opens.
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { openTestService } from '../kit/open-test-service.ts';
import { startPooler } from '../kit/pooler.ts';
import type { Pooler } from '../kit/pooler.ts';
import { newDatabase, startPostgres } from '../kit/postgres.mjs';
import { ask, asking, demoFolder, serving, vantfell } from '../kit/program.ts';

let server: Awaited<ReturnType<typeof startPostgres>>;
let pooler: Pooler;
beforeAll(async () => {
  server = await startPostgres();
  pooler = await startPooler(server);
});
afterAll(async () => {
  await pooler.stop();
  await server.stop();
});

/** The demo over a new database behind the pooler. */
async function demoBehind(name: string, query = '?pooler=transaction'): Promise<string> {
  await newDatabase(server, name);
  return demoFolder(pooler.urlOf(name) + query);
}

test('an address that turns out to be one of a pooler is told so, with the remedy', async () => {
  const ran = await vantfell(['migrate', 'status', '-C', await demoBehind('plain', '')]);
  expect(ran.code).toBe(3);
  expect(ran.err).toContain('add ?pooler=transaction');
  const other = await vantfell(['migrate', 'status', '-C', await demoBehind('other', '?pooler=session')]);
  expect([other.code, other.err]).toEqual([3, expect.stringContaining('there is no pooler session')]);
});

test('migrations, samples and every trial of the demo pass', async () => {
  const folder = await demoBehind('trials');
  expect((await vantfell(['migrate', 'run', '-C', folder])).code).toBe(0);
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const ran = await vantfell(['trial', '-C', folder]);
  expect([ran.code, ran.out.split('\n').at(-2)]).toEqual([0, expect.stringContaining(' 0 failed')]);
  const walked = await vantfell(['trial', '-C', folder, '--walk', '1000']);
  expect([walked.code, walked.out]).toEqual([0, expect.stringContaining(' 0 failed')]);
});

test('two instances sell the last beds once', async () => {
  const folder = await demoBehind('beds');
  const first = await serving(folder);
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const second = await serving(folder);
  const olle = await asking(folder, 'olle');
  const { body: list } = await ask(`${first.url}/v1/nights?limit=1&filter=${encodeURIComponent('beds_left >= 5')}`);
  const night = list.data[0] as { id: string; beds_left: number };
  const wanted = night.beds_left + 10;
  const answers = await Promise.all(
    Array.from({ length: wanted }, (_none, at) =>
      olle(`${(at % 2 === 0 ? first : second).url}/v1/stays`, 'POST', { night_id: night.id, party: 1 }),
    ),
  );
  expect(answers.filter(({ status }) => status === 201)).toHaveLength(night.beds_left);
  expect(answers.filter(({ status }) => status === 409)).toHaveLength(10);
});

test('a read that takes too long is ended by the server, and the connection is good for the next', async () => {
  const database = await newDatabase(server, 'slow').then(() => `${pooler.urlOf('slow')}?pooler=transaction`);
  const on = await openTestService(demoFolder(), { database });
  const sleeping = on.store.all({ sql: 'SELECT pg_sleep(60)' }, []);
  await expect(sleeping).rejects.toMatchObject({ fault: { kind: 'too-slow' } });
  const left = {
    sql: "SELECT count(*) FROM pg_stat_activity WHERE state = 'active' AND query LIKE 'SELECT pg_sleep%'",
  };
  let count = 1;
  while (count > 0) [count] = (await on.store.first(left, [])) as [number];
  for (let at = 0; at < 50; at += 1) expect((await on.ask('GET', '/v1/huts?limit=1')).status).toBe(200);
  await on.close();
});
