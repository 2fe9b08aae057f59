// No answer is ever out of date, whoever writes to the file: ten thousand reads of the built program, compared with
// what another process has written before each.
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import Database from 'libsql';
import { ask, asking, demoFolder, serving, vantfell } from '../kit/program.ts';

const READS = 10_000;

test('ten thousand reads beside another process that writes: never a stale one', async () => {
  const folder = demoFolder();
  const server = await serving(folder);
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const other = new Database(join(folder, 'data/fell-huts.db'));
  other.exec('PRAGMA busy_timeout = 5000');
  const change = other.prepare("UPDATE amenities SET name = ? WHERE slug = 'stove'");
  const targets = ['/v1/amenities/stove', '/v1/amenities?limit=50', '/v1/amenities?filter=slug%20%3D%20%27stove%27'];
  const read = async (target: string): Promise<number> => {
    const { status, body } = await ask(server.url + target);
    expect(status).toBe(200);
    const found = [(body as { data: unknown }).data].flat() as { slug: string; name: string }[];
    return Number(found.find(({ slug }) => slug === 'stove')!.name);
  };
  let [written, reads, late] = [0, 0, 0];
  const write = (): void => void change.run([String((written += 1))]);
  write();

  // Step by step: each read sees the write before it, also where it was asked for a moment ago.
  while (reads < READS / 2) {
    for (const target of targets) {
      write();
      for (const _again of [1, 2]) expect([target, await read(target)]).toEqual([target, written]);
      reads += 2;
    }
  }
  // All at once: none is older than what was written when it was sent.
  while (reads < READS) {
    const waiting = Array.from({ length: 12 }, async (_none, at) => {
      if (at % 3 === 0) write();
      const least = written;
      const found = await read(targets[at % targets.length]!);
      if (found < least) late += 1;
    });
    await Promise.all(waiting);
    reads += waiting.length;
  }
  expect(late).toBe(0);
  other.close();
  expect(await server.stop()).toBe(0);
});

test('what one caller may read is never another’s, and ends with the grant', async () => {
  const folder = demoFolder();
  const server = await serving(folder);
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const callers = { ines: await asking(folder, 'ines'), tor: await asking(folder, 'tor'), nobody: ask };
  const seen = async (who: keyof typeof callers, target: string) => {
    const { status, body } = await callers[who](server.url + target);
    return { status, data: (body as { data?: unknown }).data };
  };
  for (const target of ['/v1/stays?limit=100', '/v1/members?limit=100', '/v1/messages?limit=100']) {
    const [ines, tor] = [await seen('ines', target), await seen('tor', target)];
    expect(tor.data).not.toEqual(ines.data);
    for (let again = 0; again < 5; again += 1) {
      expect(await seen('ines', target)).toEqual(ines);
      expect(await seen('tor', target)).toEqual(tor);
    }
  }
  const mine = await callers.ines(`${server.url}/v1/me`);
  const { id } = (mine.body as { data: { id: string } }).data;
  const all = await seen('ines', '/v1/stays?limit=100');
  await callers.ines(`${server.url}/v1/members/${id}`, 'PATCH', { roles: ['walker'] });
  expect(await seen('ines', '/v1/stays?limit=100')).not.toEqual(all);
  expect(await server.stop()).toBe(0);
});
