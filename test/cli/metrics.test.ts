// What is counted while a service runs, as somebody who scrapes it reads it.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { ask, asking, demoFolder, serving, vantfell } from '../kit/program.ts';

interface Scraped {
  /** The type of each family. */
  readonly types: ReadonlyMap<string, string>;
  /** Each line by its name and labels. */
  readonly values: ReadonlyMap<string, number>;
}

/** Reads a page of OpenMetrics; fails where a line is none. */
async function scraped(url: string): Promise<Scraped> {
  const answer = await fetch(url);
  expect(answer.headers.get('content-type')).toBe('application/openmetrics-text; version=1.0.0; charset=utf-8');
  expect(answer.headers.get('cache-control')).toBe('no-store');
  const lines = (await answer.text()).trimEnd().split('\n');
  expect(lines.pop()).toBe('# EOF');
  const [types, values] = [new Map<string, string>(), new Map<string, number>()];
  for (const line of lines) {
    const [, name, type] = /^# TYPE (\S+) (gauge|counter|histogram|summary)$/.exec(line) ?? [];
    if (name !== undefined) types.set(name, type!);
    if (line.startsWith('#')) continue;
    const [, key, value] = /^([a-z][a-z0-9_]*(?:\{.*\})?) (\S+)$/.exec(line) ?? [];
    expect([line, Number.isNaN(Number(value))]).toEqual([line, false]);
    values.set(key!, Number(value));
  }
  return { types, values };
}

const requests = (route: string, method: string, status: number): string =>
  'http_server_request_duration_seconds_count{' +
  `http_route="${route}",http_request_method="${method}",http_response_status_code="${status}"}`;

test('requests are counted by endpoint, method and status, statements by their first word', async () => {
  const folder = demoFolder();
  const server = await serving(folder);
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const { body } = await ask(`${server.url}/v1/huts?limit=2`);
  const [hut] = body.data as { id: string }[];
  const ines = await asking(folder, 'ines');
  for (let at = 0; at < 3; at += 1) await ask(`${server.url}/v1/huts/${hut!.id}`);
  await ines(`${server.url}/v1/huts/${hut!.id}`, 'PATCH', { beds: 0 });
  await ines(`${server.url}/v1/huts/${hut!.id}`, 'PATCH', { beds: 9 });
  for (const path of ['/v1/hutz', '/nowhere/at/all', '/v1/huts/none-of-ours', '/%7Bid%7D'])
    await ask(server.url + path);
  const { types, values } = await scraped(`${server.url}/metrics`);
  expect([...types.keys()].filter((name) => !/^(process|nodejs)_/.test(name)).sort()).toEqual([
    'db_client_connection_wait_time_seconds',
    'db_client_operation_duration_seconds',
    'http_server_active_requests',
    'http_server_request_duration_seconds',
    'vantfell_build',
    'vantfell_refused_requests',
  ]);
  expect(types.has('nodejs_eventloop_lag_p99_seconds')).toBe(true);
  expect(values.get(requests('/v1/huts/{id}', 'GET', 200))).toBe(3);
  expect(values.get(requests('/v1/huts/{id}', 'GET', 404))).toBe(1);
  expect(values.get(requests('/v1/huts/{id}', 'PATCH', 422))).toBe(1);
  expect(values.get(requests('/v1/huts/{id}', 'PATCH', 200))).toBe(1);
  expect(values.get(requests('/v1/huts', 'GET', 200))).toBe(1);
  expect(values.get(requests('', 'GET', 404))).toBe(3);
  expect(values.get('vantfell_refused_requests_total{problem="invalid-body"}')).toBe(1);
  expect(values.get('vantfell_refused_requests_total{problem="unknown-path"}')).toBe(3);
  expect(values.get('http_server_active_requests')).toBe(0);
  expect(values.get('db_client_operation_duration_seconds_count{db_operation_name="UPDATE"}')).toBe(1);
  expect(values.get('db_client_connection_wait_time_seconds_count')).toBeGreaterThan(1);
  expect([...values.keys()].find((key) => key.startsWith('vantfell_build{version="'))).toBeDefined();
});

test('no label has a value that a client chooses', async () => {
  const server = await serving(demoFolder());
  const names = async (): Promise<number> => (await scraped(`${server.url}/metrics`)).values.size;
  for (const method of ['GET', 'POST', 'PROPFIND']) await fetch(`${server.url}/v1/first`, { method });
  const before = await names();
  for (let at = 0; at < 200; at += 1) {
    await fetch(`${server.url}/v1/at-${at}?${at}=${at}`, { method: ['GET', 'POST', 'PROPFIND'][at % 3]! });
  }
  // Node.js may tell of more of its own meanwhile.
  expect((await names()) - before).toBeLessThan(40);
});

test('metrics.port moves them to a port of their own, with nothing beside them', async () => {
  const folder = demoFolder();
  const service = join(folder, 'vantfell.yaml');
  writeFileSync(service, `${readFileSync(service, 'utf8')}\nmetrics: { port: 0 }\n`);
  const server = await serving(folder);
  await server.until('metrics');
  const [, alone] = /metrics +(http:\S+)\/metrics/.exec(server.said())!;
  expect(alone).not.toBe(server.url);
  await ask(`${server.url}/v1/huts`);
  const { values } = await scraped(`${alone}/metrics`);
  expect(values.get(requests('/v1/huts', 'GET', 200))).toBe(1);
  expect((await fetch(`${server.url}/metrics`)).status).toBe(404);
  expect((await fetch(`${alone}/v1/huts`)).status).toBe(404);
  expect((await fetch(`${alone}/metrics`, { method: 'POST' })).status).toBe(405);
  const { port } = new URL(alone!);
  writeFileSync(service, readFileSync(service, 'utf8').replace('port: 0', `port: ${port}`));
  const taken = await vantfell(['serve', '-C', folder, '--port', '0']);
  expect([taken.code, taken.err]).toEqual([3, expect.stringContaining('name another metrics.port')]);
  expect(await server.stop()).toBe(0);
});
