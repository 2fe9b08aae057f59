// npm run bench:workers: requests per second of one process and of two workers, in turn in one run, while the load runs
// on the same cores; and what compression costs a list. Writes ratios into docs/benchmarks.md.
import { availableParallelism } from 'node:os';
import { hutKey, makeDatabase, PROJECT, stayAt } from './database.mjs';
import { intoDocs, load, middle, processorTime, startService, withServers } from './measure.mjs';
import { onStore } from './servers.mjs';

const ROUNDS = Number(process.env.BENCH_ROUNDS ?? 7);
const SECONDS = 2;
const works = [
  { name: 'read one record', paths: Array.from({ length: 1_000 }, (_none, at) => `/v1/huts/${hutKey(at * 97)}`) },
  { name: 'list of 100, two includes, one nested', paths: ['/v1/huts?limit=100&include=keeper,reports.author'] },
  { name: 'create', paths: ['/v1/stays'], bodies: Array.from({ length: 2_000 }, (_none, at) => stayAt(at)) },
];
/** Lists of so many records. */
const SIZES = [3, 10, 50, 100];
const codings = ['gzip', 'br'];

const rows = [];
const compression = [];
for (const kind of ['sqlite', 'postgres']) {
  await onStore(kind, async (database) => {
    const address = await database('bench');
    await makeDatabase(address);
    process.env.BENCH_STORE = address;
    await measure(kind);
  });
}
const table = (head, lines) => [head, head.replace(/[^|]+/g, ' --- '), ...lines].join('\n');
const text =
  `${table('| store | work | two workers, of one process |', rows)}\n\n` +
  `With ${availableParallelism()} cores, of which the load has a part. Lists that are compressed, on SQLite, of the same ` +
  'without; first where nothing is kept (`limits.cache: 0`), then where what was compressed is sent again:\n\n' +
  table('| records | bytes | kept | coding | processor time | bytes, of those without |', compression);
console.log(text);
intoDocs('workers', 'end of workers', text);

async function measure(kind) {
  const both = { one: await startService(PROJECT), two: await startService(PROJECT, undefined, ['--workers', '2']) };
  await withServers(both, async ({ one, two }) => {
    for (const work of works) rows.push(`| ${kind} | ${work.name} | ${(await ratio([one, two], work)).toFixed(2)} |`);
  });
  if (kind !== 'sqlite') return;
  for (const [kept, sizes] of [
    ['0', SIZES],
    ['8MB', [50]],
  ]) {
    process.env.BENCH_CACHE = kept;
    await withServers({ server: await startService(PROJECT) }, async ({ server }) => {
      for (const size of sizes) await compressed(size, kept !== '0', server);
    });
  }
}

/** Requests that the second answers in the time in which the first answers one: the middle of all rounds. */
async function ratio(servers, work) {
  const ratios = [];
  for (const { url } of servers) await load(url, work);
  for (let round = 0; round < ROUNDS; round += 1) {
    const speeds = [];
    for (const at of round % 2 === 0 ? [0, 1] : [1, 0]) speeds[at] = await load(servers[at].url, work, SECONDS);
    ratios.push(speeds[1] / speeds[0]);
  }
  return middle(ratios);
}

async function compressed(size, isKept, { url, child }) {
  const list = { paths: [`/v1/huts?limit=${size}`] };
  const ways = [undefined, ...codings].map((coding) => ({ coding, requests: 0, cpu: 0 }));
  for (let round = 0; round <= ROUNDS; round += 1) {
    for (const way of ways) {
      const headers = way.coding === undefined ? {} : { 'accept-encoding': way.coding };
      const before = processorTime(child.pid);
      const perSecond = await load(url, { ...list, headers }, SECONDS);
      // The first round is for warming up.
      if (round === 0) continue;
      way.requests += perSecond * SECONDS;
      way.cpu += processorTime(child.pid) - before;
    }
  }
  const [plain, ...coded] = ways;
  const bytes = async (coding) => {
    const headers = { 'accept-encoding': coding ?? 'identity' };
    return Number((await fetch(url + list.paths[0], { headers })).headers.get('content-length'));
  };
  for (const { coding, requests, cpu } of coded) {
    const cost = cpu / requests / (plain.cpu / plain.requests);
    const plainly = await bytes();
    const part = (await bytes(coding)) / plainly;
    const cells = [size, plainly, isKept ? 'yes' : 'no', `\`${coding}\``, cost.toFixed(2), part.toFixed(2)];
    compression.push(`| ${cells.join(' | ')} |`);
  }
}
