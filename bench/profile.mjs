// npm run bench:profile: the functions in which the service and the bare twin spend their time, for one work on one
// kind of database, which BENCH_WORK and BENCH_STORES name. Shares are of the time in which the process did something.
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { load } from './measure.mjs';
import { onStore, statementsOf, withTwins, works } from './servers.mjs';
import { withSignedIn } from './signed-in.mjs';

const KIND = process.env.BENCH_STORES ?? 'sqlite';
const WORK = process.env.BENCH_WORK ?? 'read one record';
const MOST = Number(process.env.BENCH_FUNCTIONS ?? 10);
// The code is compiled while it is used: a service that has just started is another one.
const WARM_UP = 5;
const SECONDS = 8;
const OUTSIDE = new Set(['(idle)', '(root)', '(program)']);

const folder = mkdtempSync(join(tmpdir(), 'vantfell-profile-'));
const words = ['--cpu-prof', `--cpu-prof-dir=${folder}`];
const found = await onStore(KIND, async (database) => {
  const address = await database('profile');
  const isSignedIn = WORK.includes('signed in');
  if (isSignedIn) return withSignedIn(address, statementsOf, loaded, words);
  return withTwins(address, (servers) => loaded(servers, works), words);
});
for (const one of found) console.log(`${table(one, profileOf(one))}\n`);
rmSync(folder, { recursive: true });

/** Asks the service and the bare twin for the work, one after the other. */
async function loaded({ ours, bare }, all) {
  const work = all.find(({ name }) => name.includes(WORK));
  const done = [];
  for (const [who, { url, child }] of Object.entries({ ours, bare })) {
    await load(url, work, WARM_UP);
    const from = clock();
    const perSecond = await load(url, work, SECONDS);
    done.push({ who, perSecond, pid: child.pid, from, until: clock() });
  }
  return done;
}

/** The system's clock since its start, in microseconds: that of profiles. */
function clock() {
  return Number(process.hrtime.bigint() / 1000n);
}

/** The milliseconds of each function of a process between two moments, its main thread only. */
function profileOf({ pid, from, until }) {
  const file = readdirSync(folder).find((name) => name.includes(`.${pid}.0.`));
  const { nodes, samples, timeDeltas, startTime } = JSON.parse(readFileSync(join(folder, file), 'utf8'));
  const named = new Map(
    nodes.map(({ id, callFrame: { functionName, url, lineNumber } }) => {
      const place = url === '' ? 'native' : `${url.split('/').slice(-2).join('/')}:${lineNumber + 1}`;
      return [id, { name: functionName || '(anonymous)', place }];
    }),
  );
  const times = new Map();
  let now = startTime;
  for (const [at, id] of samples.entries()) {
    now += timeDeltas[at];
    const { name, place } = named.get(id);
    if (OUTSIDE.has(name) || now < from || now > until) continue;
    const key = `\`${name}\` | ${place}`;
    times.set(key, (times.get(key) ?? 0) + timeDeltas[at] / 1000);
  }
  return times;
}

function table({ who, perSecond }, times) {
  const total = [...times.values()].reduce((sum, one) => sum + one, 0);
  const most = [...times].sort(([, a], [, b]) => b - a).slice(0, MOST);
  const each = (total / (perSecond * SECONDS)) * 1000;
  const lines = most.map(([key, time]) => `| ${((100 * time) / total).toFixed(1)} % | ${key} |`);
  const head = `| ${who === 'ours' ? 'the service' : 'the bare twin'}: share | function | where |`;
  return [head, '| --- | --- | --- |', ...lines, '', `${each.toFixed(0)} µs a request, main thread`].join('\n');
}
