// npm run bench:grants: what it costs a list that its reader has to have a grant. The same records and the same
// answers, once without a grant to look at; in turn in one run, on each kind of database.
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { openDatabase } from '../build/project/database.js';
import { readProject } from '../build/project/project.js';
import { serviceOn } from '../build/project/serve.js';
import { newDatabase, startPostgres } from '../test/kit/postgres.mjs';
import { here, intoDocs } from './measure.mjs';

const ROUNDS = Number(process.env.BENCH_ROUNDS ?? 31);
const ASKED = 150;
const HUTS = 20_000;
const KEY = 'grants-key-grants-key-grants-key-grants';

/** Who may read a hut, and how much of it. All of it is for the caller, who keeps every hut. */
const GRANTS = [
  ['nothing to look at', 'read: anybody'],
  ['signed in', 'read: signed-in'],
  ['a role', 'read: role:steward'],
  ['the owner', 'read: owner'],
  ['the owner, along two relations', 'read: area.keeper'],
  ['a condition', "read: { where: 'beds >= 0' }"],
  ['a field for its owner', 'read: anybody, fields: { about: owner }'],
  ['related records that may be hidden', 'read: anybody'],
];
const model = (may, area) => `
model: member
fields: { name: { type: string, required: true, unique: true }, word: { type: secret }, roles: { type: array, items: { enum: [steward] } } }
may: { read: anybody }
---
model: area
fields: { name: { type: string, required: true } }
relations: { keeper: { to: member, required: true } }
may: { read: ${area} }
---
model: hut
owner: keeper
sort: name
index: [[name], [keeper, name]]
fields: { name: { type: string, required: true }, beds: { type: integer, required: true }, about: { type: text } }
relations: { keeper: { to: member, required: true }, area: { to: area, required: true } }
may: { ${may} }
`;

const data = here('.data/grants/');
rmSync(data, { recursive: true, force: true });
mkdirSync(`${data}models`, { recursive: true });
writeFileSync(
  `${data}vantfell.yaml`,
  `service: { name: Grants }\nkey: ${KEY}\nidentity: { model: member, login: name, secret: word, roles: roles }\n`,
);

const columns = [];
for (const kind of ['sqlite', 'postgres']) {
  const server = kind === 'postgres' ? await startPostgres() : undefined;
  try {
    columns.push(await measure(server === undefined ? `sqlite:${data}grants.db` : await newDatabase(server, 'grants')));
  } finally {
    await server?.stop();
  }
}
const lines = GRANTS.map(
  ([what], at) => `| ${what} | ${columns.map((times) => (times[at] / times[0]).toFixed(2)).join(' | ')} |`,
);
const text = ['| what is looked at | SQLite | PostgreSQL |', '| --- | --- | --- |', ...lines].join('\n');
console.log(text);
intoDocs('grants', 'end of grants', text);

/** The median time of a list of 50 under each grant. */
async function measure(address) {
  const services = [];
  const stores = [];
  let asker;
  for (const [what, may] of GRANTS) {
    const area = what.startsWith('related') ? 'keeper' : 'anybody';
    writeFileSync(`${data}models/hut.yaml`, model(may, area));
    const project = readProject(data.slice(0, -1));
    const { store } = await openDatabase(project, address);
    const service = serviceOn(project.graph, store, [KEY], console.error);
    asker ??= await fill(service);
    stores.push(store);
    services.push({ service, headers: { authorization: `Bearer ${await service.token(asker, 3600)}` } });
  }
  const times = services.map(() => []);
  const answers = new Set();
  for (let round = 0; round < ROUNDS; round += 1) {
    for (const [at, { service, headers }] of services.entries()) {
      const begun = performance.now();
      for (let asked = 0; asked < ASKED; asked += 1) {
        const { status, body } = await service.handle({ method: 'GET', target: '/huts?limit=50', headers });
        if (status !== 200) throw new Error(body);
        if (asked === 0) answers.add(body.slice(0, body.indexOf('"page"')));
      }
      times[at].push(performance.now() - begun);
    }
  }
  if (answers.size !== 1) throw new Error('the answers are not the same');
  await Promise.all(stores.map((store) => store.close()));
  return times.map((all) => all.sort((one, other) => one - other)[Math.floor(all.length / 2)]);
}

/** A member who keeps everything: gives their key. */
async function fill({ writes }) {
  return writes.run(
    null,
    async (work) => {
      const scope = writes.scopeOf(work);
      const { id } = await scope.model('member').create({ name: 'keeper', roles: ['steward'] });
      const area = await scope.model('area').create({ name: 'north', keeper_id: id });
      for (let at = 0; at < HUTS; at += 1) {
        const name = `Hut ${String(at).padStart(6, '0')}`;
        await scope
          .model('hut')
          .create({ name, beds: at % 50, about: `About ${name}.`, keeper_id: id, area_id: area.id });
      }
      return id;
    },
    { unlimited: true },
  );
}
