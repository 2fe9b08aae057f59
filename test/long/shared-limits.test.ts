// Limits that hold over all instances, and news of callers, by way of a real Redis: also while it is away.
import { appendFileSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { newDatabase, startPostgres } from '../kit/postgres.mjs';
import type { TestPostgres } from '../kit/postgres.mjs';
import { ask, asking, demoFolder, serving, vantfell } from '../kit/program.ts';
import type { Answered, RunningProgram } from '../kit/program.ts';
import { startRedis } from '../kit/redis.ts';
import type { TestRedis } from '../kit/redis.ts';

let postgres: TestPostgres;
let redis: TestRedis;
let folder: string;
let instances: readonly [RunningProgram, RunningProgram];

beforeAll(async () => {
  [postgres, redis] = await Promise.all([startPostgres(), startRedis()]);
  folder = demoFolder(await newDatabase(postgres, 'shared'));
  appendFileSync(join(folder, 'vantfell.yaml'), `shared: ${redis.url}\nlimits: { rate: 120/min }\n`);
  instances = [await serving(folder), await serving(folder)];
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
});
afterAll(async () => {
  await Promise.all(instances.map((one) => one.stop()));
  await Promise.all([redis.stop(), postgres.stop()]);
});

/** The same request, sent to the instances in turn; how often each status came. */
async function counts(
  times: number,
  send: (url: string, at: number) => Promise<Answered>,
): Promise<Record<string, number>> {
  const all = await Promise.all(Array.from({ length: times }, (_one, at) => send(instances[at % 2]!.url, at)));
  const found: Record<string, number> = {};
  for (const { status } of all) found[status] = (found[status] ?? 0) + 1;
  return found;
}

const guess = (email: string) => (url: string) => ask(`${url}/v1/tokens`, 'POST', { email, passphrase: 'guess' });

test('what counts is said, without a password', async () => {
  await instances[0].until('Ctrl+C');
  expect(instances[0].said()).toContain(`counted over all instances, by ${redis.url}`);
});

test('wrong sign-ins count over both', async () => {
  expect(await counts(40, guess('ines@fell.example'))).toEqual({ 401: 10, 429: 30 });
});

test('requests of one caller count over both, and each answer says how long to wait', async () => {
  const ines = await asking(folder, 'ines');
  expect(await counts(140, (url) => ines(`${url}/v1/me`))).toEqual({ 200: 120, 429: 20 });
  const late = await ines(`${instances[1].url}/v1/me`);
  expect(Number(late.headers.get('retry-after'))).toBeGreaterThan(30);
  expect(Number(late.headers.get('retry-after'))).toBeLessThanOrEqual(60);
});

test('a token that ended at one instance has ended at the other with the answer', async () => {
  for (let at = 0; at < 5; at += 1) {
    const tor = await asking(folder, 'tor');
    const [here, there] = at % 2 === 0 ? instances : [instances[1], instances[0]];
    expect((await tor(`${there.url}/v1/me`)).status).toBe(200);
    expect((await tor(`${here.url}/v1/tokens/revoke`, 'POST')).status).toBe(204);
    // The news is on its way with the answer; without it, a caller is known for five seconds.
    const begun = performance.now();
    while ((await tor(`${there.url}/v1/me`)).status !== 401) expect(performance.now() - begun).toBeLessThan(1_000);
  }
});

test('while it is frozen or gone, requests go on, limits hold for each instance, and it is said once', async () => {
  const other = await asking(folder, 'maret');
  redis.freeze();
  const begun = performance.now();
  expect((await other(`${instances[0].url}/v1/me`)).status).toBe(200);
  expect(performance.now() - begun).toBeLessThan(3_000);
  redis.thaw();
  await redis.stop();
  await instances[0].until('is away');
  // Ten each.
  expect(await counts(40, guess('somebody@fell.example'))).toEqual({ 401: 20, 429: 20 });
  expect((await other(`${instances[1].url}/v1/me`)).status).toBe(200);
  redis = await startRedis(Number(new URL(redis.url).port));
  for (const one of instances) await one.until('is back:');
  expect(await counts(40, guess('else@fell.example'))).toEqual({ 401: 10, 429: 30 });
  expect(instances[0].said().match(/is away/g)).toHaveLength(1);
  expect((await vantfell(['check', '-C', folder])).code).toBe(0);
});

test('a service starts without it, too', async () => {
  const yaml = readFileSync(join(folder, 'vantfell.yaml'), 'utf8');
  writeFileSync(join(folder, 'vantfell.yaml'), yaml.replace(redis.url, 'redis://:hidden@127.0.0.1:9'));
  const server = await serving(folder);
  await server.until('is away');
  expect((await ask(`${server.url}/v1/huts`)).status).toBe(200);
  expect(server.said()).not.toContain('hidden');
  expect(await server.stop()).toBe(0);
});
