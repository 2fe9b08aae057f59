// A Galera cluster of three nodes, with an instance of the service on each.
import { randomUUID } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { hasGalera, startGalera } from '../kit/galera.mjs';
import { asking, demoFolder, serving, vantfell } from '../kit/program.ts';
import type { Answered, Ask, RunningProgram } from '../kit/program.ts';
import { otherProgram } from '../kit/other-program.ts';

const NAME = 'huts';

function onCluster(): void {
  let cluster: Awaited<ReturnType<typeof startGalera>>;
  let services: RunningProgram[];
  let olle: Ask;
  let ines: Ask;

  beforeAll(async () => {
    cluster = await startGalera(3);
    const admin = await otherProgram(`${cluster.nodes[0]!.url}/mysql`);
    await admin.run(`CREATE DATABASE ${NAME} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin`);
    await admin.end();
    const folder = demoFolder();
    const file = join(folder, 'vantfell.yaml');
    writeFileSync(file, readFileSync(file, 'utf8').replace(/^store: .*$/m, "store: '${NODE_STORE}'"));
    // All begin at once: one makes the tables, and the others wait for their turn.
    const stores = cluster.nodes.map(({ url }) => `${url}/${NAME}`);
    const seeded = await Promise.all(
      stores.map((store) => vantfell(['migrate', 'run', '-C', folder], { env: { NODE_STORE: store } })),
    );
    expect(seeded.map(({ code, err }) => [code, err])).toEqual(stores.map(() => [0, '']));
    process.env.NODE_STORE = stores[0];
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    [olle, ines] = [await asking(folder, 'olle'), await asking(folder, 'ines')];
    services = [];
    for (const store of stores) {
      process.env.NODE_STORE = store;
      services.push(await serving(folder, ['--quiet']));
    }
  }, 300_000);
  afterAll(async () => {
    await Promise.all(services.map((one) => one.stop('SIGKILL')));
    await cluster.stop();
  });

  const urlOf = (at: number): string => `${services[at % 3]!.url}/v1`;

  /** Asks again where a node was too busy to say. */
  async function surely(who: Ask, at: number, path: string, body: unknown, headers = {}): Promise<Answered> {
    for (;;) {
      const answer = await who(`${urlOf(at)}${path}`, 'POST', body, headers);
      if (answer.status !== 503) return answer;
    }
  }

  test('the last beds are sold once, whichever node is asked', async () => {
    const filter = encodeURIComponent('beds_left >= 5');
    const { body } = await olle(`${urlOf(0)}/nights?limit=1&filter=${filter}`);
    const night = body.data[0] as { id: string; beds_left: number };
    const answers = await Promise.all(
      Array.from({ length: night.beds_left + 12 }, (_one, at) =>
        surely(olle, at, '/stays', { night_id: night.id, party: 1 }),
      ),
    );
    expect(answers.filter(({ status }) => status === 201)).toHaveLength(night.beds_left);
    expect(answers.filter(({ status }) => status === 409)).toHaveLength(12);
    for (const at of [0, 1, 2]) {
      expect((await olle(`${urlOf(at)}/nights/${night.id}`)).body.data).toMatchObject({ beds_left: 0 });
    }
  });

  const report = async (): Promise<{ hut_id: string; title: string; seen_on: string }> => {
    const { body } = await olle(`${urlOf(0)}/huts?limit=1`);
    return { hut_id: (body.data[0] as { id: string }).id, title: `seen ${randomUUID()}`, seen_on: '2026-06-01' };
  };
  const titled = async (at: number, title: string): Promise<number> => {
    const filter = encodeURIComponent(`title = '${title}'`);
    return ((await ines(`${urlOf(at)}/reports?filter=${filter}`)).body.data as unknown[]).length;
  };

  test('one request at three nodes at once is done once', async () => {
    for (let turn = 0; turn < 10; turn += 1) {
      const body = await report();
      const headers = { 'idempotency-key': `"${randomUUID()}"` };
      const answers = await Promise.all([0, 1, 2].map((at) => surely(olle, at, '/reports', body, headers)));
      expect(answers.map(({ status }) => [201, 409].includes(status))).toEqual([true, true, true]);
      expect(answers.some(({ status }) => status === 201)).toBe(true);
      for (const at of [0, 1, 2]) expect(await titled(at, body.title)).toBe(1);
    }
  });

  test('slugs of one name are numbered, whichever node makes them', async () => {
    const answers = await Promise.all(
      Array.from({ length: 9 }, (_one, at) =>
        surely(ines, at, '/huts', { name: `Far Hut${'!'.repeat(at)}`, valley: 'Askdal', beds: 4, altitude_m: 900 }),
      ),
    );
    const slugs = answers.map(({ body }) => (body.data as unknown as { slug: string }).slug);
    expect(slugs.sort()).toEqual(['far-hut', ...[2, 3, 4, 5, 6, 7, 8, 9].map((n) => `far-hut-${n}`)]);
  });

  test('a node that is killed under load costs what was under way there, and comes back', async () => {
    const written: string[] = [];
    let isOver = false;
    const load = Promise.all(
      [0, 1, 2, 3, 4, 5].map(async (at) => {
        while (!isOver) {
          const body = await report().catch(() => undefined);
          if (body === undefined) continue;
          const { status } = await olle(`${urlOf(at)}/reports`, 'POST', body);
          if (status === 201) written.push(body.title);
          else expect([409, 503]).toContain(status);
        }
      }),
    );
    const more = async (count: number): Promise<void> => {
      const enough = written.length + count;
      while (written.length < enough) await new Promise((resolve) => setTimeout(resolve, 20));
    };
    await more(30);
    await cluster.nodes[2]!.kill();
    await more(30);
    await cluster.nodes[2]!.join();
    while ((await olle(`${urlOf(2)}/huts?limit=1`)).status !== 200) await new Promise(setImmediate);
    await more(30);
    isOver = true;
    await load;
    const { body } = await ines(
      `${urlOf(2)}/reports?total=true&limit=1&filter=${encodeURIComponent("title LIKE 'seen %'")}`,
    );
    expect((body as unknown as { page: { total: number } }).page.total).toBeGreaterThanOrEqual(written.length);
    for (const title of written.slice(-20)) expect(await titled(2, title)).toBe(1);
    expect(services[0]!.said()).not.toContain('inner-defect');
  }, 300_000);
}

if (hasGalera) describe('a cluster', onCluster);
else test('there is no Galera on this machine: a cluster is not tried', () => expect(hasGalera).toBe(false));
