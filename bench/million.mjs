// npm run bench:million: a million records. How much a page far behind costs, and whether slow requests hold up quick
// ones.
import autocannon from 'autocannon';
import { hutKey, makeDatabase, PROJECT } from './database.mjs';
import { intoDocs, load, middle, startService, withServers } from './measure.mjs';
import { onStore } from './servers.mjs';

// So that page 50 000 has one behind it.
const HUTS = 1_000_040;
const LIMIT = 20;
const ROUNDS = Number(process.env.BENCH_ROUNDS ?? 15);
const KINDS = (process.env.BENCH_STORES ?? 'sqlite,postgres').split(',');
/** Orders by the key, and over an index whose first key may be null. */
const LISTS = [`/v1/huts?limit=${LIMIT}`, `/v1/huts?limit=${LIMIT}&valley=Askdal&sort=-altitude_m`];
/** Nothing is found, and no index helps. */
const SLOW = `/v1/huts?filter=${encodeURIComponent("CASEI(about) LIKE CASEI('%no such%')")}`;
const QUICK = Array.from({ length: 500 }, (_none, at) => `/v1/huts/${hutKey((at * 7919) % HUTS)}`);
const SECONDS = 5;

const lines = [];
for (const kind of KINDS) {
  await onStore(kind, async (database) => {
    const address = await database('million');
    await makeDatabase(address, HUTS);
    process.env.BENCH_STORE = address;
    await withServers({ service: await startService(PROJECT) }, async ({ service: { url } }) => {
      for (const list of LISTS) lines.push(`| ${kind} | ${await pages(url, list)} |`);
      lines.push(`| ${kind} | ${await quickBesideSlow(url)} |`);
    });
  });
}
const text = ['| store | what | ratio | bar |', '| --- | --- | --- | --- |', ...lines].join('\n');
console.log(text);
intoDocs('million', 'end of million', text);

/** What the last page but few costs, of what the first one costs, by turns. */
async function pages(url, list) {
  const { page } = await (await fetch(`${url}${list}&limit=1&total=true`.replace(`limit=${LIMIT}&`, ''))).json();
  const number = Math.floor(page.total / LIMIT) - 2;
  // The page before is asked for by its offset, and leads on to this one by its cursor.
  const before = await (await fetch(`${url}${list}&offset=${(number - 2) * LIMIT}`)).json();
  const far = before.page.next;
  const ratios = [];
  await load(url, { paths: [list] });
  await load(url, { paths: [far] });
  for (let round = 0; round < ROUNDS; round += 1) {
    const turns = round % 2 === 0 ? [list, far] : [far, list];
    const speeds = new Map();
    for (const path of turns) speeds.set(path, await load(url, { paths: [path] }));
    ratios.push(speeds.get(list) / speeds.get(far));
  }
  return `page ${number} of ${list.replace('/v1', '')}, of page 1 | ${middle(ratios).toFixed(2)} | 1.2 at most`;
}

/** The 99th percentile of quick requests while slow ones are at work, of that without them. */
async function quickBesideSlow(url) {
  const quick = async () => {
    const requests = QUICK.map((path) => ({ method: 'GET', path }));
    const { latency } = await autocannon({ url, connections: 2, duration: SECONDS, requests });
    return latency.p99;
  };
  await quick();
  const ratios = [];
  let took = 0;
  for (let round = 0; round < 3; round += 1) {
    const alone = await quick();
    let on = true;
    const slow = (async () => {
      while (on) {
        const begun = performance.now();
        await (await fetch(url + SLOW)).text();
        took = performance.now() - begun;
      }
    })();
    const beside = await quick();
    on = false;
    await slow;
    ratios.push(Math.max(beside, 1) / Math.max(alone, 1));
  }
  return (
    '99th percentile of reads by key beside a scan of a million records ' +
    `(${(took / 1000).toFixed(1)} s each), of that without | ${middle(ratios).toFixed(1)} | 3 at ` +
    'most'
  );
}
