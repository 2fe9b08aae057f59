// Several processes of one service on one port.
import { appendFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { ask, asking, demoFolder, serving, vantfell } from '../kit/program.ts';

/** The processes that answer, by the numbers of their workers. */
async function processes(url: string): Promise<Map<string, number>> {
  const page = await (await fetch(`${url}/metrics`)).text();
  const lines = page.matchAll(/^process_start_time_seconds\{worker="(\d+)"\} (\S+)$/gm);
  return new Map([...lines].map(([, worker, began]) => [worker!, Number(began)]));
}

test('workers share a port, count limits together, are replaced and renewed, and finish', async () => {
  const folder = demoFolder();
  const server = await serving(folder, ['--workers', '2']);
  expect(await server.until('Ctrl+C stops it')).toContain('2 processes; SIGHUP makes new ones');
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);

  // Ten wrong sign-ins a minute, whichever worker is asked.
  const wrong = { email: 'ines@fell.example', passphrase: 'guess' };
  const sent = await Promise.all(Array.from({ length: 24 }, () => ask(`${server.url}/v1/tokens`, 'POST', wrong)));
  expect(sent.filter(({ status }) => status === 401)).toHaveLength(10);
  expect(sent.filter(({ status }) => status === 429)).toHaveLength(14);

  // A token that has ended has ended everywhere, once the other worker has been told.
  const ines = await asking(folder, 'ines');
  const me = `${server.url}/v1/me`;
  for (let at = 0; at < 6; at += 1) expect((await ines(me)).status).toBe(200);
  expect((await ines(`${server.url}/v1/tokens/revoke`, 'POST')).status).toBe(204);
  const revoked = Date.now();
  for (let refused = 0; refused < 6;) {
    const { status } = await ines(me);
    expect([200, 401]).toContain(status);
    refused = status === 401 ? refused + 1 : 0;
    expect(Date.now() - revoked).toBeLessThan(4_000);
  }

  const first = await processes(server.url);
  expect([...first.keys()].sort()).toEqual(['1', '2']);
  process.kill(server.pid, 'SIGHUP');
  await server.until('new workers answer');
  expect((await ask(`${server.url}/v1/huts`)).status).toBe(200);
  // The old ones go once they have answered what they had.
  let second = first;
  while ([...second.keys()].some((number) => first.has(number))) second = await processes(server.url);
  expect(second.size).toBe(2);

  appendFileSync(join(folder, 'vantfell.yaml'), 'strange: true\n');
  process.kill(server.pid, 'SIGHUP');
  expect(await server.until('the old ones go on')).toContain('no new workers: the declarations have errors');
  expect((await ask(`${server.url}/v1/huts`)).status).toBe(200);
  expect(await server.stop()).toBe(0);
});

test('what one worker can not start with, none does, and it is said once', async () => {
  const folder = demoFolder();
  const taken = await serving(folder);
  const { code, err } = await vantfell(['serve', '-C', folder, '--workers', '3', '--port', new URL(taken.url).port]);
  expect(code).toBe(3);
  expect(err.match(/is taken/g)).toHaveLength(1);
});

test.each([
  [['--workers', '0'], '--workers can not be 0'],
  [['--workers', 'many'], '--workers can not be many'],
  [['--workers', '513'], '--workers can not be 513'],
  [['--workers', '2', '--watch'], '--watch and --workers do not go together'],
])('serve %j is refused', async (words, text) => {
  const { code, err } = await vantfell(['serve', '-C', demoFolder(), ...words]);
  expect(code).toBe(2);
  expect(err).toContain(text);
});
