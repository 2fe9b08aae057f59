// The servers that are measured beside each other: the service and its twins on one database.
import { createHash } from 'node:crypto';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { openStore } from '../build/store/open.js';
import { serviceOn } from '../build/project/serve.js';
import { newMariadb, startMariadb } from '../test/kit/mariadb.mjs';
import { newDatabase, startPostgres } from '../test/kit/postgres.mjs';
import { hutKey, HUTS, makeDatabase, PROJECT, stayAt } from './database.mjs';
import { here, start, startService, withServers } from './measure.mjs';

const SERVERS = {
  postgres: { start: startPostgres, database: newDatabase },
  mariadb: { start: startMariadb, database: newMariadb },
};
const DATA = here('.data/');
const SAMPLE = Array.from({ length: 5_000 }, (_none, at) => `/v1/huts/${hutKey((at * 7919) % HUTS)}`);

/** What is measured, with the bars of each store. */
export const works = [
  { name: 'read one record', paths: SAMPLE, bars: { sqlite: 0.95, postgres: 0.95, mariadb: 0.95 } },
  { name: 'list of 50', paths: ['/v1/huts?limit=50'], bars: { sqlite: 1.5, postgres: 0.95, mariadb: 0.95 } },
  {
    name: 'list of 20, two includes, one nested',
    paths: ['/v1/huts?limit=20&include=keeper,reports.author'],
    bars: { sqlite: 2, postgres: 0.95, mariadb: 0.95 },
  },
  {
    name: 'filtered, sorted list of 50 over an index',
    paths: ['/v1/huts?valley=Askdal&sort=-altitude_m&limit=50'],
    bars: { sqlite: 0.95, postgres: 0.95, mariadb: 0.95 },
  },
  {
    name: 'create, with rules, a draw and a journal entry',
    paths: ['/v1/stays'],
    bodies: Array.from({ length: 2_000 }, (_none, at) => stayAt(at)),
    bars: { sqlite: 0.85, postgres: 0.85, mariadb: 0.85 },
  },
];
const lists = works.slice(1, -1).map(({ paths: [path] }) => path);

/** Does work with new databases of a kind, on a server of its own where the kind has servers. */
export async function onStore(kind, work) {
  rmSync(DATA, { recursive: true, force: true });
  mkdirSync(DATA, { recursive: true });
  const server = await SERVERS[kind]?.start();
  try {
    return await work((name) => SERVERS[kind]?.database(server, name) ?? `sqlite:${DATA}${name}.db`);
  } finally {
    await server?.stop();
  }
}

/** Starts the service and its twins on a new database, sees that they answer alike, and does work with them. */
export async function withTwins(address, work, words) {
  const project = await makeDatabase(address);
  process.env.BENCH_STORE = address;
  const service = await startService(PROJECT, words);
  const file = `${DATA}twin.json`;
  writeFileSync(file, JSON.stringify(await twinSettings(project, address, service.url)));
  const servers = {
    ours: service,
    bare: await start('twins/bare.mjs', [file], words),
    byHand: await start('twins/by-hand.mjs', [file], words),
  };
  return withServers(servers, async () => {
    await checkSameAnswers(servers);
    await checkSameCreations(servers);
    return work(servers);
  });
}

/** Neither the load nor the twins take an answer that is compressed. */
function plain(url, { headers = {}, ...options } = {}) {
  return fetch(url, { ...options, headers: { ...headers, 'accept-encoding': 'identity' } });
}

async function twinSettings({ graph }, address, url) {
  const settings = await statementsOf({ graph }, address, url, { read: SAMPLE[0], lists });
  const store = await openStore(address);
  settings.create = await creationOf(graph, store, url);
  await store.close();
  return settings;
}

/** The statements of the service, and the fixed parts of its answers, so that the bare twin sends the same bytes. */
export async function statementsOf({ graph }, address, url, { read, lists, headers: sent = {} }) {
  const store = await openStore(address);
  const asked = [];
  const spy = {
    ...store,
    first: (statement, values) => (asked.push({ sql: statement.sql, values }), store.first(statement, values)),
  };
  const service = serviceOn(
    graph,
    spy,
    graph.service.keys.length > 0 ? graph.service.keys : ['k'.repeat(32)],
    console.error,
  );
  const settingsOf = async (path) => {
    const { status, body } = await service.handle({ method: 'GET', target: path, headers: sent });
    if (status !== 200) throw new Error(body);
    const answer = await plain(url + path, { headers: sent });
    const headers = Object.fromEntries(
      [...answer.headers].filter(([name]) => !/^(date|connection|keep-alive|content-length)$/.test(name)),
    );
    return { path, ...asked.pop(), headers, page: JSON.stringify((await answer.json()).page) };
  };
  const settings = { address, read: await settingsOf(read), lists: [] };
  for (const path of lists) settings.lists.push(await settingsOf(path));
  await store.close();
  return settings;
}

/** The statements that make a stay, in its transaction. */
async function creationOf(graph, store, url) {
  const asked = [];
  const noted = (on, name) => (statement, values) => (asked.push(statement.sql), on[name](statement, values));
  const spy = {
    ...store,
    transaction: (work) =>
      store.transaction((on) => work({ ...on, first: noted(on, 'first'), send: noted(on, 'send') })),
  };
  const body = JSON.stringify(stayAt(0));
  const headers = { 'content-type': 'application/json' };
  const service = serviceOn(graph, spy, ['k'.repeat(32)], console.error);
  const { status } = await service.handle({ method: 'POST', target: '/v1/stays', headers, body: Buffer.from(body) });
  if (status !== 201) throw new Error(`a stay could not be made: ${status}`);
  const answer = await plain(`${url}/v1/stays`, { method: 'POST', headers, body });
  const find = (begins) => asked.find((sql) => sql.startsWith(begins));
  return {
    draw: find('UPDATE "nights"'),
    insert: find('INSERT INTO "stays"'),
    journal: find('INSERT INTO "vantfell_journal"'),
    fields: graph.byName.get('stay').fields.map(({ member }) => member),
    headers: Object.fromEntries(
      [...answer.headers].filter(([name]) => !/^(date|connection|keep-alive|content-length|location)$/.test(name)),
    ),
  };
}

async function checkSameAnswers({ ours, bare, byHand }) {
  for (const path of [SAMPLE[0], SAMPLE[99], ...lists]) {
    const [own, limit, hand] = await Promise.all([ours, bare, byHand].map(({ url }) => plain(url + path)));
    const text = await own.text();
    const digest = (value) => createHash('sha256').update(value).digest('hex');
    // The bare twin's tag is as long as the service's, and always the same: it works nothing out.
    const heads = [own, limit].map(({ headers }) =>
      JSON.stringify([...headers].filter(([name]) => name !== 'date' && name !== 'etag').sort()),
    );
    if (digest(text) !== digest(await limit.text()) || heads[0] !== heads[1]) {
      throw new Error(`the bare twin answers other bytes at ${path}\n${heads.join('\n')}`);
    }
    const other = await hand.json();
    if (JSON.stringify(JSON.parse(text).data) !== JSON.stringify(other.data)) {
      throw new Error(`the by-hand twin answers other data at ${path}\n${text}\n${JSON.stringify(other)}`);
    }
  }
}

/** Stays have keys and times of their own: all else must be alike. */
async function checkSameCreations({ ours, bare, byHand }) {
  const answers = await Promise.all(
    [ours, bare, byHand].map(async ({ url }) => {
      const headers = { 'content-type': 'application/json' };
      const answer = await fetch(`${url}/v1/stays`, { method: 'POST', headers, body: JSON.stringify(stayAt(3)) });
      const { id, created_at, updated_at, ...rest } = (await answer.json()).data;
      if (answer.status !== 201 || !id || created_at !== updated_at) throw new Error(`${url} made no stay`);
      return JSON.stringify(rest);
    }),
  );
  if (new Set(answers).size > 1) throw new Error(`stays differ:\n${answers.join('\n')}`);
}
