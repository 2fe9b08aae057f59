// The database that a service and its twins share: 100 000 huts, with two reports each, in the tables that the models
// make.
import { designTables } from '../build/core/tables/design.js';
import { openDatabase } from '../build/project/database.js';
import { readProject } from '../build/project/project.js';
import { fileURLToPath } from 'node:url';
import { v7 } from 'uuid';

export const HUTS = 100_000;
const KEEPERS = 500;
const CHUNK = 5_000;
export const PROJECT = fileURLToPath(new URL('project', import.meta.url));

const START = Date.parse('2026-01-01T00:00:00Z');
const uuidAt = (at) => v7({ msecs: START + at, seq: at, random: new Uint8Array(16).fill(7) });
const keeperKey = (at) => uuidAt(at % KEEPERS);
export const hutKey = (at) => uuidAt(1_000_000 + at);
const NIGHTS = 1_000;
const nightKey = (at) => uuidAt(2_000_000 + at);

/** What a client sends to book the n-th of many stays. */
export const stayAt = (at) => ({
  party: 1 + (at % 4),
  from: '2026-06-12',
  until: '2026-06-13',
  phone: '+99 555 0142',
  note: 'We arrive after dark.',
  night_id: nightKey((at * 7) % NIGHTS),
  guest_id: keeperKey(at),
});

/** The records of a model by their number. */
const records = {
  keeper: { count: KEEPERS, at: (at) => ({ id: keeperKey(at), name: `Keeper ${at}`, since: '2019-05-01' }) },
  hut: { count: HUTS, at: hutAt },
  // So many beds that no run uses them up.
  night: {
    count: NIGHTS,
    at: (at) => ({ id: nightKey(at), hut_id: hutKey(at), date: '2026-06-12', beds_left: 1_000_000_000 }),
  },
  report: {
    count: 2 * HUTS,
    at: (at) => ({
      id: at + 1,
      hut_id: hutKey(at >> 1),
      number: at,
      text: 'The stove draws badly when the wind is in the west.',
      author_id: keeperKey(at * 31),
    }),
  },
};

export function hutAt(at) {
  const stamp = new Date(START + at).toISOString();
  return {
    id: hutKey(at),
    name: `Hut ${at}`,
    slug: `hut-${at}`,
    valley: ['Askdal', 'Brattdal', 'Sulvik'][at % 3],
    beds: 1 + (at % 120),
    altitude_m: at % 7 === 0 ? null : (at * 7919) % 2400,
    price: `${10 + (at % 90)}.50`,
    winter_room: at % 2 === 0,
    opens_on: '2026-06-12',
    about: 'A hut with a stove, a view and more "quotes" than it needs.',
    keeper_id: keeperKey(at),
    created_at: stamp,
    updated_at: stamp,
  };
}

/** Fills an empty database; `huts` without what belongs to them, where that many are asked for. */
export async function makeDatabase(address, huts) {
  const project = readProject(PROJECT);
  const { store } = await openDatabase(project, address);
  for (const [name, { count: usual, at }] of Object.entries(records)) {
    const count = huts === undefined || name === 'keeper' ? usual : name === 'hut' ? huts : 0;
    const model = project.graph.byName.get(name);
    const statement = { sql: store.ddl.fillFromJson(designTables(project.graph).find(({ of }) => of === name)) };
    for (let from = 0; from < count; from += CHUNK) {
      const rows = Array.from({ length: Math.min(CHUNK, count - from) }, (_none, index) => {
        const record = at(from + index);
        return Object.fromEntries(
          model.fields.map((field) => [field.column, store.dialect.bind(field, record[field.member])]),
        );
      });
      await store.transaction((transaction) => transaction.run(statement, [JSON.stringify(rows)]));
    }
  }
  const analyze = address.startsWith('mariadb:')
    ? `ANALYZE TABLE ${designTables(project.graph)
        .map(({ name }) => store.dialect.name(name))
        .join(', ')}`
    : 'ANALYZE';
  await store.alter((alteration) => alteration.script(analyze));
  await store.close();
  return project;
}
