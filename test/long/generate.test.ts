import { existsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { ask, asking, demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';

interface Generated {
  readonly made: number;
  readonly random: number;
  readonly stopped?: string;
  readonly secret?: string;
}

async function generate(folder: string, model: string, count: number, ...words: string[]): Promise<Generated> {
  const ran = await vantfell(['seed', '-C', folder, '--generate', String(count), '--model', model, '--json', ...words]);
  expect([ran.code === 4, ran.err]).toEqual([false, ran.err]);
  return JSON.parse(ran.out) as Generated;
}

type Records = Record<string, unknown>[];

describe('seed --generate', () => {
  test('makes records that keep their rules, and draw no more than there is', async () => {
    const folder = demoFolder();
    await vantfell(['seed', '-C', folder]);
    expect(await generate(folder, 'hut', 60, '--random', '7')).toMatchObject({ made: 60, random: 7 });
    const members = await generate(folder, 'member', 5);
    expect(members).toMatchObject({ made: 5, secret: expect.stringMatching(/^.{12,}$/) as unknown });
    // The samples have beds for so many; the last ones find none.
    const stays = await generate(folder, 'stay', 5_000, '--random', '7');
    expect(stays.stopped).toContain('no night has enough beds_left left');
    // A member has one profile.
    const profiles = await generate(folder, 'profile', 500);
    expect(profiles).toMatchObject({
      made: 14,
      stopped: expect.stringContaining('another profile has this') as unknown,
    });

    const server = await serving(folder);
    const asSteward = await asking(folder, 'ines');
    const all = async (path: string): Promise<Records> => {
      const records: Records = [];
      for (let next: string | null = `/v1/${path}?limit=100`; next !== null;) {
        const { body } = await asSteward(`${server.url}${next}`);
        records.push(...(body.data as Records));
        next = body.page.next as string | null;
      }
      return records;
    };
    const huts = await all('huts');
    expect(huts).toHaveLength(78);
    for (const { name, beds, valley, slug, opens_on: opens, closes_on: closes } of huts) {
      expect(String(name).length).toBeGreaterThanOrEqual(3);
      expect(beds).toBeGreaterThanOrEqual(1);
      expect(['Askdal', 'Brattdal', 'Sulvik']).toContain(valley);
      expect(slug).toMatch(/^[a-z0-9]+(-[a-z0-9]+)*$/);
      if (typeof opens === 'string' && typeof closes === 'string') expect(closes > opens).toBe(true);
    }
    expect((await all('members')).every(({ email }) => String(email).endsWith('.example'))).toBe(true);
    const taken = new Map<unknown, number>();
    for (const { night_id: night, party } of (await all('stays')).slice(0, stays.made)) {
      taken.set(night, (taken.get(night) ?? 0) + Number(party));
    }
    const made = new Set((await all('nights')).map(({ id }) => id));
    expect([...taken.keys()].every((night) => made.has(night))).toBe(true);
    await server.stop();
  });

  test('makes the same for the same number, and others for another', async () => {
    const names = async (random: string): Promise<unknown[]> => {
      const folder = demoFolder();
      await generate(folder, 'amenity', 8, '--random', random);
      const server = await serving(folder);
      const { body } = await ask(`${server.url}/v1/amenities`);
      await server.stop();
      return (body.data as Records).map(({ name, slug }) => [name, slug]);
    };
    const [one, same, other] = await Promise.all([names('7'), names('7'), names('8')]);
    expect(one).toHaveLength(8);
    expect(same).toEqual(one);
    expect(other).not.toEqual(one);
  });

  test.each([
    [['--generate', '5'], 2, '--generate needs a --model'],
    [['--generate', '5', '--model', 'hutt'], 2, 'there is no model hutt'],
    [['--generate', '0', '--model', 'hut'], 2, 'above 0'],
    [['--generate', '1', '--model', 'hut', '--random', '0.5'], 2, 'whole number'],
    [['--random', '5'], 2, 'go with --generate'],
    [['--generate', '5', '--model', 'night'], 1, 'each night needs a hut as its hut, and there is none'],
  ])('%j', async (words, code, told) => {
    const ran = await vantfell(['seed', '-C', demoFolder(), ...words]);
    expect([ran.code, ran.err]).toEqual([code, expect.stringContaining(told)]);
  });
});

test('seed --empty-first asks, then deletes every record and loads in one go', async () => {
  const samples = 'grey: { name: Grey Hut, beds: 40 }\nred: { name: Red Hut, beds: 4, twin: grey }\n';
  const folder = folderWith({
    'vantfell.yaml': 'service: { name: Huts }\n',
    'models/hut.yaml':
      'model: hut\nfields:\n  name: { type: string, required: true }\n' +
      '  beds: { type: integer, maximum: 120 }\n' +
      'relations: { twin: { to: hut } }\n',
    'samples/huts.yaml': samples,
  });
  await vantfell(['seed', '-C', folder]);
  await generate(folder, 'hut', 3);
  const asked = await vantfell(['seed', '-C', folder, '--empty-first']);
  expect([asked.code, asked.err]).toEqual([2, expect.stringContaining('every record in')]);
  const names = async () => {
    const server = await serving(folder);
    const { body } = await ask(`${server.url}/huts?sort=name`);
    await server.stop();
    return (body.data as Records).map(({ name }) => name);
  };
  const before = await names();
  expect(before).toHaveLength(5);
  writeFileSync(join(folder, 'samples/huts.yaml'), samples.replace('40', '4000'));
  expect((await vantfell(['seed', '-C', folder, '--empty-first', '--yes'])).code).toBe(1);
  expect(await names()).toEqual(before);
  writeFileSync(join(folder, 'samples/huts.yaml'), samples);
  expect((await vantfell(['seed', '-C', folder, '--empty-first', '--yes'])).code).toBe(0);
  expect(await names()).toEqual(['Grey Hut', 'Red Hut']);
});

describe('long files', () => {
  const MODELS = `model: item
fields:
  name: { type: string, required: true, maxLength: 40 }
  note: { type: string }
relations: { maker: { to: maker, required: true }, like: { to: item } }
---
model: maker
fields: { name: { type: string } }
relations: { best: { to: item } }
`;
  const ROWS = 12_000;
  const filler = 'x'.repeat(400);
  const line = (at: number, more: object = {}) =>
    JSON.stringify({
      $: `i${at}`,
      name: `Item ${at}`,
      note: filler,
      maker: `m${at % 5}`,
      like: `i${Math.max(1, at - 3)}`,
      ...more,
    });
  const lines = (change: (at: number) => object | undefined = () => undefined) =>
    Array.from({ length: ROWS }, (_none, at) =>
      line(at + 1, { like: at === 0 ? null : `i${at}`, ...change(at + 1) }),
    ).join('\n');
  const project = (items: string) =>
    folderWith({
      'vantfell.yaml': 'service: { name: Big }\n',
      'models/item.yaml': MODELS,
      'samples/makers.yaml': [0, 1, 2, 3, 4].map((at) => `m${at}: { name: Maker ${at} }\n`).join(''),
      'samples/items.ndjson': items,
    });

  test('stream: handles of other files and of rows before are known, and a second load leaves them alone', async () => {
    const folder = project(lines());
    const load = async () => {
      const ran = await vantfell(['seed', '-C', folder]);
      expect([ran.code, ran.err.slice(0, 2000)]).toEqual([0, expect.anything()]);
      return ran.out.replace(/ +/g, ' ');
    };
    expect(await load()).toContain(`item ${ROWS} 0 0`);
    writeFileSync(
      join(folder, 'samples/items.ndjson'),
      lines((at) => (at === 77 ? { name: 'Other' } : undefined)),
    );
    expect(await load()).toContain(`item 0 1 ${ROWS - 1}`);
    writeFileSync(join(folder, 'samples/items.ndjson'), lines().split('\n').slice(0, -1).join('\n'));
    const ran = await vantfell(['seed', '-C', folder]);
    expect(ran.err).toContain(`gone from the files, and left in the database: item/i${ROWS}`);
  });

  test('stream: bad rows are told by their lines, and nothing is loaded', async () => {
    const broken = (at: number) =>
      at === 300
        ? { name: 'n'.repeat(41) }
        : at === 301
          ? { like: 'nobody' }
          : at === 9_000
            ? { name: null }
            : undefined;
    const folder = project(lines(broken).replace('"Item 500"', '"Item 500'));
    const ran = await vantfell(['seed', '-C', folder]);
    expect(ran.code).toBe(1);
    expect(ran.err).toContain('samples/items.ndjson:300:1  maxLength');
    expect(ran.err).toContain('samples/items.ndjson:301:1  unknown-record');
    expect(ran.err).toContain('samples/items.ndjson:500:1  unreadable-json');
    expect(ran.err).toContain('samples/items.ndjson:9000:1  required');
    const server = await serving(folder);
    expect((await ask(`${server.url}/items`)).body.data).toEqual([]);
    await server.stop();
    expect(existsSync(join(folder, '.vantfell/data.db'))).toBe(true);
  });
});
