import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { ask, demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';

describe('seed', () => {
  test('loads once, skips what is unchanged, writes what changed, and tells what is gone', async () => {
    const folder = demoFolder();
    const load = async () => {
      interface Told {
        models: { model: string; made: number; changed: number; unchanged: number }[];
        gone: string[];
      }
      const { models, gone } = JSON.parse((await vantfell(['seed', '-C', folder, '--json'])).out) as Told;
      const count = (name: string) => {
        const { made, changed, unchanged } = models.find(({ model }) => model === name)!;
        return [made, changed, unchanged];
      };
      return { amenity: count('amenity'), member: count('member'), hut: count('hut'), night: count('night'), gone };
    };
    const first = { amenity: [6, 0, 0], member: [12, 0, 0], hut: [18, 0, 0], night: [252, 0, 0], gone: [] };
    expect(await load()).toEqual(first);
    const members = join(folder, 'samples/members.yaml');
    const text = readFileSync(members, 'utf8')
      .replace('Ines Askheim', 'Ines Askheim-Berg')
      .replace('seven grey stones', 'eight grey stones');
    writeFileSync(members, text);
    const huts = join(folder, 'samples/huts.yaml');
    writeFileSync(huts, readFileSync(huts, 'utf8').replace('beds: 40', 'beds: 41'));
    const amenities = join(folder, 'samples/amenities.csv');
    writeFileSync(amenities, readFileSync(amenities, 'utf8').replace(/^sauna,.*\n/m, ''));
    const again = {
      amenity: [0, 0, 5],
      member: [0, 2, 10],
      hut: [0, 1, 17],
      night: [0, 0, 252],
      gone: ['amenity/sauna'],
    };
    expect(await load()).toEqual(again);
  });

  test('bad rows name file, line and rule, and nothing is loaded', async () => {
    const folder = demoFolder();
    writeFileSync(
      join(folder, 'samples/nights.csv'),
      '$,hut,date,price,beds_left\na,grey-hut,2026-02-30,1,-1\nb,no-hut,2026-06-01,1.005,1\n',
    );
    const ran = await vantfell(['seed', '-C', folder]);
    expect(ran.code).toBe(1);
    expect(ran.err).toContain('samples/nights.csv:2:1  format');
    expect(ran.err).toContain('samples/nights.csv:2:1  minimum');
    expect(ran.err).toContain('samples/nights.csv:3:1  scale');
    expect(ran.err).toContain('nothing was loaded');
    for (const file of ['nights.csv', 'stays.yaml', 'guests.csv']) rmSync(join(folder, 'samples', file));
    const again = await vantfell(['seed', '-C', folder, '--json']);
    expect(JSON.parse(again.out)).toMatchObject({
      models: expect.arrayContaining([expect.objectContaining({ model: 'hut', made: 18 })]) as unknown,
    });
  });

  test.each([
    ['samples/barn.yaml', 'a: {}\n', 'there is no model barn'],
    ['samples/members.yaml', 'a: [1]\n', 'a sample is a map'],
    [
      'samples/members.yaml',
      '- { $: x, name: A, email: a@b.example, joined_on: 2026-01-01 }\n- { $: x }\n',
      'two samples member/x',
    ],
    ['samples/huts.yaml', 'a: { warden: b }\n', 'there is no sample member/b'],
    ['samples/huts.ndjson', '{"name": }\n', 'this line is not JSON'],
    ['samples/nights.csv', 'a,b\n1\n', 'unreadable-csv'],
    ['samples/notes.txt', 'hello', 'samples/ takes'],
  ])('%s with %j is refused', async (file, text, message) => {
    const folder = folderWith({
      'vantfell.yaml': 'service: { name: X }\n',
      'models/all.yaml':
        'model: member\nfields: { name: { type: string } }\n' +
        '---\nmodel: hut\nrelations: { warden: { to: member } }\n' +
        '---\n' +
        'model: night\nwithin: hut\nfields: { date: { type: date } }\n',
      [file]: text,
    });
    const ran = await vantfell(['seed', '-C', folder]);
    expect(ran.code).toBe(1);
    expect(ran.err).toContain(message);
  });

  test(
    'samples that refer to each other, to themselves and onward ' + 'are loaded; a circle that can not be is told',
    async () => {
      const team = (required: string) => `model: team
fields: { name: { type: string } }
relations: { captain: { to: player${required} }, rival: { to: team } }
---
model: player
fields: { name: { type: string } }
relations: { team: { to: team, required: true } }
`;
      const folder = folderWith({
        'vantfell.yaml': 'service: { name: X }\n',
        'models/team.yaml': team(''),
        'samples/teams.yaml':
          'reds: { name: Reds, captain: ann, rival: blues }\nblues: { name: Blues, captain: bo, rival: blues }\n',
        'samples/players.yaml': 'ann: { name: Ann, team: reds }\nbo: { name: Bo, team: blues }\n',
      });
      const seeded = async () => (await vantfell(['seed', '-C', folder])).out.replace(/ +/g, ' ');
      expect(await seeded()).toMatch(/team 2 0 0\s+player 2 0 0/);
      expect(await seeded()).toMatch(/team 0 0 2\s+player 0 0 2/);
      const server = await serving(folder);
      const [blues, reds] = (await ask(`${server.url}/teams?sort=name`)).body.data;
      const [ann, bo] = (await ask(`${server.url}/players?sort=name`)).body.data;
      expect([reds.captain_id, blues.captain_id, reds.rival_id, blues.rival_id, ann.team_id]).toEqual([
        ann.id,
        bo.id,
        blues.id,
        blues.id,
        reds.id,
      ]);
      await server.stop();
      writeFileSync(
        join(folder, 'samples/teams.yaml'),
        'reds: { name: Reds, captain: ann, rival: blues }\nblues: { name: Blues, captain: ann, rival: reds }\n',
      );
      expect(await seeded()).toMatch(/team 0 1 1\s+player 0 0 2/);

      writeFileSync(join(folder, 'models/team.yaml'), team(', required: true'));
      const ran = await vantfell([
        'seed',
        '-C',
        folderWith({ ...filesOf(folder), 'vantfell.yaml': 'service: { name: X }\n' }),
      ]);
      expect(ran.code).toBe(1);
      expect(ran.err).toMatch(
        /player\/ann and team\/reds need each other in a circle|team\/reds and player\/ann need each other/,
      );
    },
  );
});

/** The declarations and samples of a project, to make another of them. */
const filesOf = (folder: string): Record<string, string> =>
  Object.fromEntries(
    ['models/team.yaml', 'samples/teams.yaml', 'samples/players.yaml'].map((file) => [
      file,
      readFileSync(join(folder, file), 'utf8'),
    ]),
  );
