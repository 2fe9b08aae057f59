import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { kinds, serverDatabases } from '../kit/databases.ts';
import { asking, demoFolder, serving, vantfell } from '../kit/program.ts';
import type { Answered, Ask } from '../kit/program.ts';

const KILLS = 50;
const WRITERS = 8;

const database = serverDatabases();

describe.each(kinds)('the built program writing, on %s', (kind) => {
  let ask: Ask;

  /** The demo on a database of its own, and somebody who asks. */
  async function demo(name: string): Promise<string> {
    const folder = demoFolder();
    const address = await database(kind, name);
    if (address !== undefined) {
      const file = join(folder, 'vantfell.yaml');
      writeFileSync(file, readFileSync(file, 'utf8').replace(/^store: .*$/m, `store: ${address}`));
    }
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    // A steward may do most things.
    ask = await asking(folder, 'ines');
    return folder;
  }

  const firstOf = async (list: string): Promise<string> => (await ask(`${list}?limit=1`)).body.data[0].id as string;

  async function nightWith(url: string, date: string, beds_left: number): Promise<string> {
    const hut_id = await firstOf(`${url}/huts`);
    const { body } = await ask(`${url}/nights`, 'POST', { hut_id, date, price: '10', beds_left });
    return body.data.id as string;
  }

  async function all(url: string, path: string): Promise<Record<string, unknown>[]> {
    const records: Record<string, unknown>[] = [];
    for (let next: string | null = path; next !== null;) {
      const { body }: Answered = await ask(new URL(next, url).href);
      records.push(...body.data);
      next = body.page.next as string | null;
    }
    return records;
  }

  test('500 who ask for 40 beds at once get 40, and no more', async () => {
    const server = await serving(await demo('bookings'));
    const v1 = `${server.url}/v1`;
    const night_id = await nightWith(v1, '2031-01-01', 40);
    const answers = await Promise.all(
      Array.from({ length: 500 }, () => ask(`${v1}/stays`, 'POST', { night_id, party: 1 })),
    );
    const counted = (wanted: number): number => answers.filter(({ status }) => status === wanted).length;
    expect([counted(201), counted(409)]).toEqual([40, 460]);
    const refused = answers.find(({ status }) => status === 409)!.body;
    expect(refused).toMatchObject({
      type: '/problems/not-enough-left',
      errors: [{ pointer: '/party', available: 0 }],
    });
    expect((await ask(`${v1}/nights/${night_id}`)).body.data.beds_left).toBe(0);
    expect(await all(v1, `/v1/stays?night_id=${night_id}&limit=100`)).toHaveLength(40);
    expect(await server.stop()).toBe(0);
  });

  test(`killed ${KILLS} times under a load of writes: what was acknowledged is there, and sums agree`, async () => {
    const folder = await demo('kills');
    const beds = 100_000;
    let server = await serving(folder);
    const nights: string[] = [];
    for (const day of ['01', '02', '03']) nights.push(await nightWith(`${server.url}/v1`, `2031-02-${day}`, beds));

    /** The states that each stay may be in: the one that was acknowledged last, and what was asked for since. */
    const known = new Map<string, (string | undefined)[]>();
    const stateOf = (stay: Record<string, unknown>): string => `${String(stay.party)} ${String(stay.status)}`;
    let turn = 0;
    for (let kill = 0; kill < KILLS; kill += 1) {
      const v1 = `${server.url}/v1`;
      const killed = server;
      let written = 0;
      const sent = async (...[url, method, body]: Parameters<Ask>): Promise<Answered> => {
        const answer = await ask(url, method, body);
        // Somewhere in the middle, at another moment each time, with other writes under way.
        if ((written += 1) === 12 + kill) void killed.stop('SIGKILL');
        return answer;
      };
      const writer = async (): Promise<void> => {
        for (;;) {
          turn += 1;
          const party = 1 + (turn % 4);
          const made = await sent(`${v1}/stays`, 'POST', { night_id: nights[turn % 3], party });
          expect(made.status).toBe(201);
          const id = made.body.data.id as string;
          const first = stateOf(made.body.data);
          const path = `${v1}/stays/${id}`;
          const next = turn % 3 === 0 ? undefined : turn % 3 === 1 ? `${party + 1} booked` : `${party} cancelled`;
          known.set(id, [first, next]);
          const { status } =
            next === undefined
              ? await sent(path, 'DELETE')
              : turn % 3 === 1
                ? await sent(path, 'PATCH', { party: party + 1, night_id: nights[(turn + 1) % 3] })
                : await sent(`${path}/cancel`, 'POST', { because: 'Rain' });
          expect([200, 204]).toContain(status);
          known.set(id, [next]);
        }
      };
      await Promise.allSettled(Array.from({ length: WRITERS }, writer));
      await killed.stop('SIGKILL');
      server = await serving(folder);
    }

    const v1 = `${server.url}/v1`;
    expect(known.size).toBeGreaterThan(KILLS * 5);
    const kept = (await Promise.all(nights.map((night) => all(v1, `/v1/stays?night_id=${night}&limit=100`)))).flat();
    const states = new Map(kept.map((stay) => [stay.id as string, stateOf(stay)]));
    for (const [id, allowed] of known) expect(allowed).toContain(states.get(id));
    for (const night of nights) {
      const taken = kept.filter((stay) => stay.night_id === night && stay.status === 'booked');
      const sum = taken.reduce((total, { party }) => total + Number(party), 0);
      expect((await ask(`${v1}/nights/${night}`)).body.data.beds_left).toBe(beds - sum);
    }
    // Each has its line in the journal, and none has two.
    const lines = await all(v1, '/v1/stays/journal?action=create&limit=100');
    const count = new Map<unknown, number>();
    for (const { record } of lines) count.set(record, (count.get(record) ?? 0) + 1);
    for (const { id } of kept) expect([id, count.get(id)]).toEqual([id, 1]);
    expect([...count.values()].every((number) => number === 1)).toBe(true);
    expect(await server.stop()).toBe(0);
  });
});
