// How servers are started, asked by turns and weighed.
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { fileURLToPath } from 'node:url';
import autocannon from 'autocannon';

const CONNECTIONS = 16;
export const here = (name) => fileURLToPath(new URL(name, import.meta.url));

/** Starts a server that prints its address as JSON. The last words are for Node itself. */
export function start(file, words, nodeWords = []) {
  const child = spawn(process.execPath, [...nodeWords, here(file), ...words], { stdio: ['ignore', 'pipe', 'inherit'] });
  return new Promise((resolve, reject) => {
    let text = '';
    child.on('exit', (code) => reject(new Error(`${file} ended with ${code}`)));
    child.stdout.on('data', (chunk) => {
      text += chunk;
      if (text.trimEnd().endsWith('}')) resolve({ child, url: JSON.parse(text).url });
    });
  });
}

/** Starts the service of a project; where Node is told something, as the modules that the package is made of. */
export function startService(project, nodeWords, words = []) {
  const program = nodeWords === undefined ? '../dist/cli/main.js' : '../build/cli/main.js';
  return start(program, ['serve', '-C', project, '--port', '0', '--json', '--quiet', ...words], nodeWords);
}

/** Does work with servers, and ends them. */
export async function withServers(servers, work) {
  try {
    return await work(servers);
  } finally {
    const all = Object.values(servers).map(async ({ child }) => {
      child.removeAllListeners('exit');
      const ended = once(child, 'exit');
      child.kill('SIGINT');
      await ended;
    });
    await Promise.all(all);
  }
}

/** The number of requests that are answered in so many seconds; with `bodies`, each is sent to the path. */
export async function load(url, { paths, bodies, headers = {} }, duration = 1) {
  const sent = { ...headers, 'content-type': 'application/json' };
  const requests =
    bodies?.map((body) => ({ method: 'POST', path: paths[0], headers: sent, body: JSON.stringify(body) })) ??
    paths.map((path) => ({ method: 'GET', path, headers }));
  const result = await autocannon({ url, connections: CONNECTIONS, duration, requests });
  if (result.non2xx + result.errors + result.timeouts > 0)
    throw new Error(
      `${url}${paths[0]}: ` +
        `${JSON.stringify({ ...result.statusCodeStats, errors: result.errors, timeouts: result.timeouts })}`,
    );
  return Math.round(result.requests.total / result.duration);
}

/** The seconds of processor time that a process has had, its threads and system calls included (Linux). */
export function processorTime(pid) {
  const threads = readdirSync(`/proc/${pid}/task`);
  return threads.reduce((sum, thread) => sum + threadTime(pid, thread), 0);
}

/** Of one of its threads, which may have ended meanwhile. */
function threadTime(pid, thread) {
  try {
    return Number(readFileSync(`/proc/${pid}/task/${thread}/schedstat`, 'utf8').split(' ')[0]) / 1e9;
  } catch {
    return 0;
  }
}

/** The megabytes of memory that a process has at the moment (Linux). */
export const residentMemory = (pid) =>
  Number(/VmRSS:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]) / 1024;

export const middle = (values) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];

// Code is compiled while it is used, and a service runs for days: what it is like at first is not what is measured.
const WARM_UP = 4;

/**
 * Asks the servers by turns. What counts is the processor time that a server spends on a request, in the middle one of
 * all turns: the load, the network and whatever else runs share the machine's few cores, and blur how many requests fit
 * into a second.
 */
export async function compare(servers, work, rounds) {
  const { name, paths, bodies, bars, headers } = work;
  const turns = Object.fromEntries(Object.keys(servers).map((who) => [who, []]));
  for (const { url } of Object.values(servers)) await load(url, work, WARM_UP);
  for (let round = 0; round < rounds; round += 1) {
    const order = Object.entries(servers);
    // Another one goes first each time, and another one before each, so that nobody always runs on a tired machine.
    order.push(...order.splice(0, round % order.length));
    if (round % 2 === 1) order.reverse();
    for (const [who, { url, child }] of order) {
      const before = processorTime(child.pid);
      const requests = await load(url, work);
      // What the database still has to do for one must not fall on the next: this waits behind all of it.
      if (bodies === undefined) await fetch(url + paths[0], { headers }).then((answer) => answer.text());
      turns[who].push({ requests, cost: (processorTime(child.pid) - before) / requests });
    }
    if (process.stderr.isTTY) process.stderr.write(`\r${name}: round ${round + 1} of ${rounds} `);
  }
  const cost = (who) => middle(turns[who].map((turn) => turn.cost));
  const against = (who) => ({
    cost: cost(who) / cost('ours'),
    speed: middle(turns.ours.map(({ requests }, round) => requests / turns[who][round].requests)),
  });
  return {
    name,
    bars,
    ofBare: against('bare'),
    ofHand: servers.byHand && against('byHand'),
    perSecond: 1 / cost('ours'),
  };
}

/** Puts a text between two marks of the page of benchmarks, with when and on what it was measured. */
export function intoDocs(from, to, text) {
  const page = here('../docs/benchmarks.md');
  const marks = new RegExp(`(<!-- ${from} -->\n)[\\s\\S]*(<!-- ${to} -->)`);
  const [{ model }, ...others] = cpus();
  const when = new Date().toISOString().slice(0, 10);
  const on = `Measured on ${when} with Node ${process.version.slice(1)}, ${others.length + 1} × ${model.trim()}.`;
  writeFileSync(
    page,
    readFileSync(page, 'utf8').replace(marks, (_all, start, end) => `${start}\n${text}\n\n${on}\n\n${end}`),
  );
}
