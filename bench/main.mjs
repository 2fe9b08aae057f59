// npm run bench: the service beside its twins, in turn in one run. Ratios count, not seconds: machines are noisy.
import { spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import autocannon from 'autocannon';
import { listStatement, listValues } from '../dist/core/query/list-statement.js';
import { readStatement } from '../dist/core/query/statements.js';
import { FILE, makeDatabase, PROJECT, ROWS } from './database.mjs';

// Many short turns: what else the machine does then falls on all three alike.
const ROUNDS = Number(process.env.BENCH_ROUNDS ?? 21);
const CONNECTIONS = 16;
const LIST = '/v1/huts?limit=50';
const here = (name) => fileURLToPath(new URL(name, import.meta.url));

const { hut, keys, dialect } = await makeDatabase();
const sample = Array.from({ length: 5_000 }, (_none, at) => `/v1/huts/${keys[(at * 7919) % ROWS]}`);

const service = await start('../dist/cli/main.js', ['serve', '-C', PROJECT, '--port', '0', '--json', '--quiet']);
const twinFile = here('.data/twin.json');
writeFileSync(twinFile, JSON.stringify(await twinSettings(service.url)));
const bare = await start('bare-twin.mjs', [twinFile]);
const byHand = await start('by-hand-twin.mjs', [twinFile]);

const works = [
  { name: 'read one record', paths: sample, bars: [0.9, 4] },
  { name: 'list of 50', paths: [LIST], bars: [0.9, 3] },
];
try {
  await checkSameAnswers();
  const rows = [];
  for (const work of works) rows.push(await measure(work));
  const text = report(rows);
  console.log(text);
  const page = here('../docs/benchmarks.md');
  const marks = /(<!-- table -->\n)[\s\S]*(<!-- end -->)/;
  writeFileSync(page, readFileSync(page, 'utf8').replace(marks, `$1\n${text}\n\n$2`));
} finally {
  for (const { child } of [service, bare, byHand]) child.kill('SIGTERM');
}

/** Starts a server that prints its address as JSON. */
function start(file, words) {
  const child = spawn(process.execPath, [here(file), ...words], { stdio: ['ignore', 'pipe', 'inherit'] });
  return new Promise((resolve, reject) => {
    let text = '';
    child.on('exit', (code) => reject(new Error(`${file} ended with ${code}`)));
    child.stdout.on('data', (chunk) => {
      text += chunk;
      if (text.trimEnd().endsWith('}')) resolve({ child, url: JSON.parse(text).url });
    });
  });
}

/** The statements of the service, and the fixed parts of its answers, so that the bare twin sends the same bytes. */
async function twinSettings(url) {
  const form = { fields: hut.fields, sort: hut.sort, filters: [], from: undefined, backward: false };
  const statement = listStatement(hut, form, dialect);
  const [list, read] = [await fetch(url + LIST), await fetch(url + sample[0])];
  const own = (answer) =>
    Object.fromEntries(
      [...answer.headers].filter(([name]) => !/^(date|connection|keep-alive|content-length)$/.test(name)),
    );
  return {
    file: FILE,
    read: readStatement(hut, hut.fields, dialect),
    list: {
      sql: statement.sql,
      values: listValues(statement, form, 50, dialect),
      page: JSON.stringify((await list.clone().json()).page),
    },
    headers: { list: own(list), read: own(read) },
  };
}

async function checkSameAnswers() {
  for (const path of [sample[0], sample[99], LIST]) {
    const [ours, limit, hand] = await Promise.all([service, bare, byHand].map(({ url }) => fetch(url + path)));
    const text = await ours.text();
    const digest = (value) => createHash('sha256').update(value).digest('hex');
    const heads = [ours, limit].map(({ headers }) =>
      JSON.stringify([...headers].filter(([name]) => name !== 'date').sort()),
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

/**
 * Asks the servers by turns. What counts is the processor time that a server spends on a request: the load, the network
 * and whatever else runs share the machine's few cores, and blur how many requests fit into a second.
 */
async function measure({ name, paths, bars }) {
  const servers = { ours: service, bare, byHand };
  const totals = Object.fromEntries(Object.keys(servers).map((who) => [who, { requests: 0, cpu: 0, speeds: [] }]));
  for (const { url } of Object.values(servers)) await load(url, paths);
  for (let round = 0; round < ROUNDS; round += 1) {
    const order = Object.entries(servers);
    // Another one goes first each time, so that nobody always runs on a warm or a tired machine.
    order.push(...order.splice(0, round % order.length));
    for (const [who, { url, child }] of order) {
      const before = processorTime(child.pid);
      const requests = await load(url, paths);
      totals[who].requests += requests;
      totals[who].cpu += processorTime(child.pid) - before;
      totals[who].speeds.push(requests);
    }
    if (process.stderr.isTTY) process.stderr.write(`\r${name}: round ${round + 1} of ${ROUNDS} `);
  }
  const cost = ({ requests, cpu }) => cpu / requests;
  const against = (who) => ({
    cost: cost(totals[who]) / cost(totals.ours),
    speed: middle(totals.ours.speeds.map((speed, round) => speed / totals[who].speeds[round])),
  });
  return { name, bars, ofBare: against('bare'), ofHand: against('byHand'), perSecond: 1 / cost(totals.ours) };
}

function middle(values) {
  return values.sort((a, b) => a - b)[Math.floor(values.length / 2)];
}

/** The seconds of processor time that a process has had, its threads and system calls included (Linux). */
function processorTime(pid) {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ');
  return (Number(fields[11]) + Number(fields[12])) / 100;
}

/** The number of requests that are answered in one second. */
async function load(url, paths) {
  const requests = paths.map((path) => ({ method: 'GET', path }));
  const result = await autocannon({ url, connections: CONNECTIONS, duration: 1, requests });
  if (result.non2xx + result.errors + result.timeouts > 0) throw new Error(`${url} answered with errors`);
  return Math.round(result.requests.total / result.duration);
}

function report(rows) {
  const lines = rows.map(({ name, ofBare, ofHand, bars: [bareBar, handBar], perSecond }) => {
    const verdict = ofBare.cost >= bareBar && ofHand.cost >= handBar ? 'kept' : 'missed';
    const bareCell = `${ofBare.cost.toFixed(2)} (bar ${bareBar}; speed ${ofBare.speed.toFixed(2)})`;
    const handCell = `${ofHand.cost.toFixed(1)}× (bar ${handBar}×; speed ${ofHand.speed.toFixed(1)}×)`;
    return `| ${name} | ${bareCell} | ${handCell} | ${Math.round(perSecond)} | ${verdict} |`;
  });
  return [
    '| work | of the bare twin | of the by-hand twin | requests per second of processor time | bars |',
    '| --- | --- | --- | --- | --- |',
    ...lines,
  ].join('\n');
}
