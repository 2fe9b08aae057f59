// Reads by somebody who is signed in, of records that only their owner may read: the service beside the bare twin,
// which has the very statements, and looks at no token.
import { writeFileSync } from 'node:fs';
import { openDatabase } from '../build/project/database.js';
import { readProject } from '../build/project/project.js';
import { serviceOn } from '../build/project/serve.js';
import { here, start, startService, withServers } from './measure.mjs';

const PROJECT = here('signed-in');
const LODGES = 10_000;
const ASKED = 1_000;

const BARS = { sqlite: 0.9, postgres: 0.9, mariadb: 0.9 };

/** Starts the service and the bare twin on a new database, sees that they answer alike, and does work with them. */
export async function withSignedIn(address, twinSettings, work, words) {
  const project = readProject(PROJECT);
  const { graph } = project;
  const { store } = await openDatabase(project, address);
  const service = serviceOn(graph, store, graph.service.keys, console.error);
  const { keeper, lodges } = await fill(service);
  const headers = { authorization: `Bearer ${await service.token(keeper, 24 * 3600)}` };
  await store.close();

  process.env.BENCH_STORE = address;
  const ours = await startService(PROJECT, words);
  const file = here('.data/signed-in.json');
  const paths = lodges.slice(0, ASKED).map((key) => `/v1/lodges/${key}`);
  const list = '/v1/lodges?limit=50';
  const settings = await twinSettings({ graph }, address, ours.url, { read: paths[0], lists: [list], headers });
  writeFileSync(file, JSON.stringify(settings));
  const bare = await start('twins/bare.mjs', [file], words);
  return withServers({ ours, bare }, async (servers) => {
    for (const path of [paths[0], list]) {
      const [own, limit] = await Promise.all(
        [ours, bare].map(({ url }) => fetch(url + path, { headers }).then((answer) => answer.text())),
      );
      if (own !== limit) throw new Error(`the bare twin answers other bytes at ${path}\n${own}\n${limit}`);
    }
    return work(servers, [
      { name: "read one record of one's own, signed in", paths, headers, bars: BARS },
      { name: "list of 50 of one's own, signed in", paths: [list], headers, bars: BARS },
    ]);
  });
}

/** Two keepers, each with half of the lodges: gives the first, and what is theirs. */
async function fill({ writes }) {
  return writes.run(
    null,
    async (work) => {
      const scope = writes.scopeOf(work);
      const keepers = [];
      for (const name of ['Ines', 'Tove']) keepers.push((await scope.model('keeper').create({ name })).id);
      const lodges = [];
      for (let at = 0; at < LODGES; at += 1) {
        const name = `Lodge ${String(at).padStart(6, '0')}`;
        const { id } = await scope.model('lodge').create({
          ...{ name, valley: 'Askdal', beds: 1 + (at % 100), price: '10.50', keeper_id: keepers[at % 2] },
          about: 'A lodge with a stove, a view and more "quotes" than it needs.',
        });
        if (at % 2 === 0) lodges.push(id);
      }
      return { keeper: keepers[0], lodges };
    },
    { unlimited: true },
  );
}
