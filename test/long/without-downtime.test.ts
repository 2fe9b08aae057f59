// A migration in two steps, while services of both versions are under load and old ones are started anew.
import { cpSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { kinds, testDatabases } from '../kit/databases.ts';
import { Growing } from '../kit/migrating.ts';
import { ask, serving } from '../kit/program.ts';
import { raw } from '../kit/raw.ts';

const database = testDatabases();

const OLD = `fields:
  name: { type: string, required: true, maxLength: 40 }
  valley: { type: string, required: true, maxLength: 20 }
  kind: { enum: [hut, shelter], required: true }
  beds: { type: integer, required: true, minimum: 1, maximum: 120 }
  latitude: { type: number, required: true }
relations:
  keeper: { to: keeper, required: true }
unique: [[valley, name]]
`;
const NEW = `fields:
  name: { type: string, required: true, maxLength: 60, minLength: 2 }
  valley: { type: string, maxLength: 20 }
  kind: { enum: [shelter, hut, barn], required: true }
  beds: { type: integer, required: true, minimum: 1, maximum: 100 }
  phone: { type: string, required: true, maxLength: 20 }
  fee: { type: decimal, scale: 2, required: true, default: "3.50" }
  opened_at: { type: date-time, required: true }
  note: { type: text }
relations:
  friends: { with: keeper }
index: [[beds, name]]
`;

interface Load {
  /** Statuses that were not as they should be. */
  readonly wrong: string[];
  count(): number;
  /** Resolves when so many more requests were answered. */
  more(count: number): Promise<void>;
  stop(): Promise<void>;
}

/** Creates, changes, reads, lists and deletes, without a pause. */
function load(url: string, hut: (at: number) => object, change: object): Load {
  const wrong: string[] = [];
  let [count, isOver] = [0, false];
  const wanted = async (
    status: number,
    method: string,
    path: string,
    body?: object,
  ): Promise<Record<string, never>> => {
    const answer = await raw(`${url}/${path}`, { method, ...(body && { body: JSON.stringify(body) }) }).catch(
      (error: unknown) => ({ status: String(error), body: '' }),
    );
    count += 1;
    if (answer.status !== status) wrong.push(`${method} ${path} ${answer.status} ${answer.body.slice(0, 300)}`);
    if (answer.status !== status || answer.body === '') return {};
    return (JSON.parse(answer.body) as { data: Record<string, never> }).data;
  };
  const turns = Promise.all(
    [1, 2, 3].map(async (client) => {
      for (let at = client; !isOver; at += 3) {
        const { id } = await wanted(201, 'POST', 'huts', hut(at));
        await wanted(200, 'PATCH', `huts/${id}`, change);
        await wanted(200, 'GET', `huts/${id}`);
        await wanted(200, 'GET', 'huts?limit=50&sort=-id');
        if (at % 5 === 0) await wanted(204, 'DELETE', `huts/${id}`);
      }
    }),
  );
  return {
    wrong,
    count: () => count,
    async more(so) {
      for (const enough = count + so; count < enough && wrong.length === 0;) {
        await new Promise((resolve) => setTimeout(resolve, 10));
      }
    },
    async stop() {
      isOver = true;
      await turns;
    },
  };
}

describe.each(kinds)('%s', (kind) => {
  test('in two steps, no request of either version fails, and old services can be started anew', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'vantfell-'));
    const address = kind === 'sqlite' ? `sqlite:${folder}/huts.db` : await database(kind, 'two_steps');
    const project = new Growing(address, { hut: OLD, keeper: 'fields: {}\n' });
    await project.done('migrate draft');
    await project.done('migrate run');
    const old = join(folder, 'old');
    cpSync(project.folder, old, { recursive: true });
    const first = await serving(old, ['--quiet']);
    const keeper = (await ask(`${first.url}/keepers`, 'POST', {})).body.data.id as string;
    const oldHut = (at: number): object => ({
      ...{ name: `Old ${at}`, valley: `v${at % 7}`, kind: 'hut', beds: 101 + (at % 20), latitude: 60.5 },
      keeper_id: keeper,
    });
    const newHut = (at: number): object => ({ name: `New ${at}`, kind: 'barn', beds: 4, phone: '111', opened_at: now });
    const now = '2026-06-01T08:00:00Z';
    const loads = [load(first.url, oldHut, { beds: 77 })];
    await loads[0]!.more(100);

    project.model('hut', NEW);
    const fills = '--fill hut.phone=000 --fill hut.opened_at=2026-01-01T00:00:00Z';
    const told = await project.done(`migrate draft --drop hut.latitude --drop hut.keeper ${fills} --two-steps`);
    expect(told).toContain('second-step: once no service of an older version runs');
    expect(await project.done('migrate run')).toContain('waits until no service of an older version runs');
    await loads[0]!.more(100);
    // The new one beside the old; and the old once more, as after a crash.
    const second = await serving(project.folder, ['--quiet']);
    loads.push(load(second.url, newHut, { note: 'changed', beds: 5 }));
    const again = await serving(old);
    await again.until('a newer version has run');
    loads.push(load(again.url, (at) => oldHut(at + 100_000), { beds: 78 }));
    await Promise.all(loads.map((one) => one.more(300)));
    // What the new one does not know is nothing to the old one.
    const { body } = await raw(`${first.url}/huts?limit=1&name=New%201`);
    expect(body).toContain('"valley":null,"kind":"barn","beds":5,"latitude":null');
    const stopped = [loads[0]!, loads[2]!];
    await Promise.all(stopped.map((one) => one.stop()));
    await Promise.all([first.stop(), again.stop()]);
    expect(stopped.flatMap(({ wrong }) => wrong)).toEqual([]);

    // What the old one made meanwhile has the values that were given for it.
    expect((await project.rows('SELECT count(*) FROM huts WHERE phone IS NULL OR fee IS NULL')).map(Number)).toEqual([
      0,
    ]);
    await project.sql('UPDATE huts SET beds = 100 WHERE beds > 100');
    expect(await project.done('migrate run --all')).toContain('-second-step');
    await loads[1]!.more(200);
    await loads[1]!.stop();
    expect(loads[1]!.wrong).toEqual([]);
    expect(await project.done('migrate status')).not.toContain('drifted');
    const late = new Growing(address, { hut: OLD, keeper: 'fields: {}\n' });
    cpSync(join(old, 'migrations'), join(late.folder, 'migrations'), { recursive: true });
    expect(await late.fails('seed')).toContain('is ahead');
    await second.stop();
    // The way back is as it is for any migration: what is there may stand in it.
    await project.done('migrate undo --yes');
    expect(await project.fails('migrate undo --yes')).toContain('hut.valley: required now');
  });

  test('what old services can not go on with stops them; what can not be divided is told', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'vantfell-'));
    const address = kind === 'sqlite' ? `sqlite:${folder}/huts.db` : await database(kind, 'one_step');
    const project = new Growing(address, { hut: OLD, keeper: 'fields: {}\n' });
    await project.done('migrate draft');
    await project.done('migrate run');
    const service = await serving(project.folder, ['--quiet']);
    const status = async (): Promise<number> => (await ask(`${service.url}/huts`)).status;
    project.model('hut', OLD.replace('latitude:', 'note: { type: text }\n  latitude:'));
    expect(await project.done('migrate draft')).not.toContain('services');
    await project.done('migrate run');
    expect(await status()).toBe(200);

    project.model('hut', OLD.replace('latitude: { type: number', 'latitude: { type: string'));
    expect(await project.fails('migrate draft --two-steps --drop hut.note')).toContain(
      'hut.latitude can not change in two steps',
    );
    project.model('hut', OLD.replace('latitude:', 'lat:'));
    const renamed = await project.fails('migrate draft --two-steps --drop hut.note --rename hut.latitude=hut.lat');
    expect(renamed).toContain('column: latitude keeps its column');
    project.model('hut', OLD.replace('latitude: {', 'lat: { column: latitude,'));
    const draft = await project.done('migrate draft --two-steps --drop hut.note --rename hut.latitude=hut.lat');
    expect(draft).toMatch(/hut\.latitude +is called hut\.lat now/);
    expect(await project.done('migrate run')).toContain('waits until');
    expect(await status()).toBe(200);
    await project.done('migrate run --all');
    expect(await status()).toBe(503);
    await service.stop();

    project.model('hut', OLD);
    expect(await project.done('migrate draft --rename hut.lat=hut.latitude')).toContain('services stop');
  });
});
