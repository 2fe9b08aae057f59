// The database that all twins serve: 100 000 huts, written in the tables that the models make.
import { mkdirSync, rmSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { v7 } from 'uuid';
import { bodyReader } from '../dist/core/rules/schema.js';
import { makeChanges } from '../dist/core/change/changes.js';
import { openDatabase } from '../dist/project/database.js';
import { readProject } from '../dist/project/project.js';

export const ROWS = 100_000;
const DATA = fileURLToPath(new URL('.data/', import.meta.url));
export const FILE = `${DATA}bench.db`;
export const PROJECT = fileURLToPath(new URL('project', import.meta.url));

/** Makes the database anew, and gives the keys of its huts. */
export async function makeDatabase() {
  rmSync(DATA, { recursive: true, force: true });
  mkdirSync(DATA, { recursive: true });
  const project = readProject(PROJECT);
  const { graph } = project;
  const { store } = await openDatabase(project, `sqlite:${FILE}`);
  const hut = graph.byName.get('hut');
  const read = bodyReader(hut, 'create');
  const start = Date.parse('2026-01-01T00:00:00Z');
  let made = 0;
  const changes = makeChanges(graph, hut, store.dialect, {
    now: () => new Date(start + made),
    random: (bytes) => new Uint8Array(bytes),
    uuid: () => v7({ msecs: start + made, seq: made }),
  });
  const keys = [];
  await store.transaction(async (transaction) => {
    for (; made < ROWS; made += 1) {
      const { values } = read({
        name: `Hut ${made}`,
        slug: `hut-${made}`,
        valley: ['Askdal', 'Brattdal', 'Sulvik'][made % 3],
        beds: 1 + (made % 120),
        altitude_m: made % 7 === 0 ? null : (made * 7919) % 2400,
        price: `${10 + (made % 90)}.50`,
        winter_room: made % 2 === 0,
        opens_on: '2026-06-12',
        about: 'A hut with a stove, a view and more "quotes" than it needs.',
      });
      keys.push((await changes.create(transaction, values)).key);
    }
  });
  await store.close();
  return { graph, hut, keys, dialect: store.dialect };
}
