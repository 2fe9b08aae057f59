// Three instances over one database behind a real load balancer, which are killed and started anew under load.
import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { startBalancer } from '../kit/balancer.ts';
import type { Balancer } from '../kit/balancer.ts';
import { freePort, newDatabase, startPostgres } from '../kit/postgres.mjs';
import type { TestPostgres } from '../kit/postgres.mjs';
import { ask, asking, demoFolder, serving, tokenFor, vantfell } from '../kit/program.ts';
import type { Ask, RunningProgram } from '../kit/program.ts';
import { raw } from '../kit/raw.ts';

const KILLS = 8;
let postgres: TestPostgres;
let balancer: Balancer;
let folder: string;
let ports: number[];
let instances: RunningProgram[];
let olle: Ask;
let authorization = '';

const started = (port: number, words: readonly string[] = []): Promise<RunningProgram> =>
  serving(folder, ['--quiet', '--drain', '2s', ...words], port);

beforeAll(async () => {
  postgres = await startPostgres();
  folder = demoFolder(await newDatabase(postgres, 'instances'));
  ports = [await freePort(), await freePort(), await freePort()];
  instances = [await started(ports[0]!)];
  instances.push(await started(ports[1]!), await started(ports[2]!));
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  balancer = await startBalancer(ports);
  olle = await asking(folder, 'olle');
  authorization = `Bearer ${await tokenFor(folder, 'olle')}`;
  await ready();
});
afterAll(async () => {
  await balancer.stop();
  await Promise.all(instances.map((one) => one.stop('SIGKILL')));
  await postgres.stop();
});

/** Resolves when the balancer knows of an instance that is ready. */
async function ready(): Promise<void> {
  while ((await raw(`${balancer.url}/health/ready`).catch(() => undefined))?.status !== 200);
}

interface Sent {
  readonly status: number | undefined;
  readonly began: number;
  readonly ended: number;
}

/** One request, and when; without a status where the connection was lost. */
async function sent(path: string, method = 'GET', body?: string, headers: Record<string, string> = {}): Promise<Sent> {
  const began = performance.now();
  const status = await raw(balancer.url + path, {
    method,
    headers: { authorization, ...headers },
    ...(body && { body }),
  })
    .then((answer) => answer.status)
    .catch(() => undefined);
  return { status, began, ended: performance.now() };
}

/** Clients that go on until they are told to stop. */
function load(clients: number, turn: (client: number) => Promise<void>): () => Promise<void> {
  let isOver = false;
  const all = Promise.all(
    Array.from({ length: clients }, async (_one, client) => {
      while (!isOver) await turn(client);
    }),
  );
  return async () => {
    isOver = true;
    await all;
  };
}

test('the last beds are sold once, whichever instance is asked', async () => {
  const filter = encodeURIComponent('beds_left >= 5');
  const { body } = await ask(`${balancer.url}/v1/nights?limit=1&filter=${filter}`);
  const night = body.data[0] as { id: string; beds_left: number };
  const answers = await Promise.all(
    Array.from({ length: night.beds_left + 12 }, () =>
      olle(`${balancer.url}/v1/stays`, 'POST', { night_id: night.id, party: 1 }),
    ),
  );
  expect(answers.filter(({ status }) => status === 201)).toHaveLength(night.beds_left);
  expect(answers.filter(({ status }) => status === 409)).toHaveLength(12);
});

test('killed again and again: what was acknowledged is there, once, and only what was under way fails', async () => {
  const { body } = await ask(`${balancer.url}/v1/huts?limit=1`);
  const hut = (body.data[0] as { id: string }).id;
  const kills: { readonly from: number; readonly to: number }[] = [];
  const failed: Sent[] = [];
  const written: string[] = [];
  const stop = load(8, async (client) => {
    if (client % 2 === 0) {
      const read = await sent('/v1/huts?limit=5');
      if (read.status !== 200) failed.push(read);
      return;
    }
    // Repeated with its key until it is acknowledged: by whichever instance.
    const text = `killed ${randomUUID()}`;
    const report = JSON.stringify({ hut_id: hut, title: text, seen_on: '2026-06-01' });
    const key = { 'idempotency-key': `"${randomUUID()}"` };
    for (;;) {
      const write = await sent('/v1/reports', 'POST', report, key);
      if (write.status === 201) break;
      failed.push(write);
      expect([undefined, 409, 502, 503, 504]).toContain(write.status);
    }
    written.push(text);
  });
  for (let turn = 0; turn < KILLS; turn += 1) {
    const enough = written.length + 30;
    while (written.length < enough) await new Promise((resolve) => setTimeout(resolve, 20));
    const at = turn % 3;
    const from = performance.now();
    await instances[at]!.stop('SIGKILL');
    kills.push({ from, to: performance.now() });
    instances[at] = await started(ports[at]!);
  }
  await stop();
  // Only what was on its way to somebody who was killed; or waited for its own first try to end.
  const strange = failed.filter(
    ({ status, began, ended }) => status !== 409 && !kills.some(({ from, to }) => began <= to && ended >= from),
  );
  expect(strange).toEqual([]);
  const { rows } = await counts();
  expect([...rows].sort()).toEqual([...written].sort());
});

/** The texts of all reports that were written above, straight from the database. */
async function counts(): Promise<{ rows: string[] }> {
  const found: string[] = [];
  let path: string | null = '/v1/reports?limit=100';
  while (path !== null) {
    const { body } = await ask(balancer.url + path, 'GET', undefined, { authorization });
    const page = body as { data: { title: string }[]; page: { next: string | null } };
    found.push(...page.data.flatMap(({ title }) => (title.startsWith('killed ') ? [title] : [])));
    path = page.page.next;
  }
  return { rows: found };
}

/** How often an instance was asked whether it is ready. */
async function checks({ url }: RunningProgram): Promise<number> {
  const { body } = await raw(`${url}/metrics`);
  const line = /^http_server_request_duration_seconds_count\{http_route="\/health\/ready".*"200"\} (\d+)$/m.exec(body);
  return Number(line?.[1] ?? 0);
}

test('a rolling restart loses not one request', async () => {
  await ready();
  const failed: Sent[] = [];
  let answered = 0;
  const stop = load(8, async (client) => {
    const turn = client % 2 === 0 ? await sent('/v1/huts?limit=5') : await sent('/v1/me');
    if (turn.status === 200) answered += 1;
    else failed.push(turn);
  });
  for (const at of [0, 1, 2]) {
    expect(await instances[at]!.stop('SIGTERM')).toBe(0);
    instances[at] = await started(ports[at]!);
    // The balancer has seen it before the next one goes.
    while ((await checks(instances[at])) < 2) await new Promise((resolve) => setTimeout(resolve, 50));
  }
  await stop();
  expect(failed).toEqual([]);
  expect(answered).toBeGreaterThan(500);
});

/** The numbers of the workers that answer. */
async function workers(url: string): Promise<string> {
  const { body } = await raw(`${url}/metrics`);
  return [...body.matchAll(/^process_start_time_seconds\{worker="(\d+)"\}/gm)].map(([, number]) => number).join();
}

test('new generations of workers lose not one request either', async () => {
  const port = await freePort();
  const server = await started(port, ['--workers', '2']);
  const failed: unknown[] = [];
  let answered = 0;
  const stop = load(6, async () => {
    const status = await raw(`${server.url}/v1/huts?limit=5`).then(
      (answer) => answer.status,
      (error: unknown) => error,
    );
    if (status === 200) answered += 1;
    else failed.push(status);
  });
  for (let turn = 0; turn < 3; turn += 1) {
    process.kill(server.pid, 'SIGHUP');
    const next = turn % 2 === 0 ? '3,4' : '1,2';
    while ((await workers(server.url)) !== next) await new Promise((resolve) => setTimeout(resolve, 50));
  }
  await stop();
  expect(failed).toEqual([]);
  expect(answered).toBeGreaterThan(300);
  expect(await server.stop()).toBe(0);
});
