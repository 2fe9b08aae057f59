// npm run bench: the service beside its twins, in turn in one run, on each kind of database. Ratios count, not seconds.
import { compare, intoDocs, residentMemory } from './measure.mjs';
import { onStore, statementsOf, withTwins, works } from './servers.mjs';
import { withSignedIn } from './signed-in.mjs';

// Many short turns: what else the machine does then falls on all three alike.
const ROUNDS = Number(process.env.BENCH_ROUNDS ?? 21);
const KINDS = (process.env.BENCH_STORES ?? 'sqlite,postgres,mariadb').split(',');
const isChosen = (name) => name.includes(process.env.BENCH_WORK ?? '');

const rows = [];
const memory = [];
for (const kind of KINDS) {
  await onStore(kind, async (database) => {
    for (const row of await measure(kind, await database('bench'))) rows.push({ kind, ...row });
    if (!isChosen('signed in')) return;
    await withSignedIn(await database('signed_in'), statementsOf, async (servers, reads) => {
      for (const work of reads) rows.push({ kind, ...(await compare(servers, work, ROUNDS)) });
    });
  });
}
const bar = 'bar 1.2 at most';
const text = `${report(rows)}\n\nResident memory under that load, of the bare twin's: ${memory.join(', ')} (${bar}).`;
console.log(text);
// Each version of Node has a table of its own.
const [major] = process.versions.node.split('.');
intoDocs(`node ${major}`, `end of node ${major}`, text);

function measure(kind, address) {
  return withTwins(address, async (servers) => {
    const found = [];
    for (const work of works.filter(({ name }) => isChosen(name))) found.push(await compare(servers, work, ROUNDS));
    const [ours, bare] = [servers.ours, servers.bare].map(({ child }) => residentMemory(child.pid));
    memory.push(`${(ours / bare).toFixed(2)} on ${kind}`);
    return found;
  });
}

function report(found) {
  const lines = found.map(({ kind, name, ofBare, ofHand, bars, perSecond }) => {
    const verdict = ofBare.cost >= bars[kind] ? 'kept' : 'missed';
    const bareCell = `${ofBare.cost.toFixed(2)} (bar ${bars[kind]}; speed ${ofBare.speed.toFixed(2)})`;
    const handCell = ofHand === undefined ? '–' : `${ofHand.cost.toFixed(1)}× (speed ${ofHand.speed.toFixed(1)}×)`;
    return `| ${kind} | ${name} | ${bareCell} | ${handCell} | ${Math.round(perSecond)} | ${verdict} |`;
  });
  return [
    '| store | work | of the bare twin | of the by-hand twin | requests per second of processor time | bar |',
    '| --- | --- | --- | --- | --- | --- |',
    ...lines,
  ].join('\n');
}
