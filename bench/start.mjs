// npm run bench:start: how long it takes until the tool helps, until a service answers, and until 500 models are
// checked, the start of the program included; beside the start of Node alone. Writes them into docs/benchmarks.md.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { get } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { writeLargeProject } from './large-project.mjs';

const RUNS = 9;
const here = (name) => fileURLToPath(new URL(name, import.meta.url));
const PROGRAM = here('../dist/cli/main.js');
const PORT = 18_080;
const folder = (count) => {
  const made = mkdtempSync(join(tmpdir(), 'vantfell-large-'));
  writeLargeProject(made, count);
  return made;
};
const folders = { small: folder(20), large: folder(500) };

/** Milliseconds until a program has ended. */
function toEnd(words) {
  const start = performance.now();
  const { status, stderr } = spawnSync(process.execPath, words, { encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
  return Promise.resolve(performance.now() - start);
}

/**
 * Milliseconds until a service has answered its first request, which is sent again until there is somebody to answer
 * it.
 */
async function toAnswer() {
  const start = performance.now();
  const child = spawn(process.execPath, [PROGRAM, 'serve', '-C', folders.small, '--port', String(PORT), '--quiet'], {
    stdio: 'inherit',
  });
  const ended = new Promise((resolve) => child.on('close', resolve));
  const answered = () =>
    new Promise((resolve) => {
      get(`http://127.0.0.1:${PORT}/part-1`, (answer) => answer.resume().on('end', () => resolve(true))).on(
        'error',
        () => resolve(false),
      );
    });
  while (!(await answered())) await new Promise((resolve) => setTimeout(resolve, 2));
  const taken = performance.now() - start;
  child.kill();
  await ended;
  return taken;
}

const WORKS = [
  ['Node alone', undefined, () => toEnd(['-e', '0'])],
  ['`vantfell --help`', 1.3, () => toEnd([PROGRAM, '--help'])],
  ['`vantfell serve`, until it answers (20 models, SQLite)', 3.5, toAnswer],
  ['`vantfell check` of 500 models of 18 lines each', 10, () => toEnd([PROGRAM, 'check', '-C', folders.large])],
];

try {
  // Once without counting: files come from the disk, and databases are made.
  for (const [, , run] of WORKS) await run();
  const times = WORKS.map(() => []);
  // In turn, so that a slow moment of the machine is everybody's.
  for (let turn = 0; turn < RUNS; turn += 1) for (const [at, [, , run]] of WORKS.entries()) times[at].push(await run());
  const sorted = times.map((all) => all.sort((one, other) => one - other));
  const node = sorted[0][0];
  const rows = WORKS.map(([name, bar], at) => {
    const [best, middle] = [sorted[at][0], sorted[at][Math.floor(RUNS / 2)]];
    return `| ${name} | ${best.toFixed(0)} ms | ${middle.toFixed(0)} ms | ${(best / node).toFixed(2)} | ${bar === undefined ? '' : `at most ${bar}`} |`;
  });
  const text = ['| start | best | middle | of Node alone | bar |', '| --- | --- | --- | --- | --- |', ...rows].join(
    '\n',
  );
  console.log(text);
  const page = here('../docs/benchmarks.md');
  const marks = /(<!-- start -->\n)[\s\S]*(<!-- end of start -->)/;
  writeFileSync(page, readFileSync(page, 'utf8').replace(marks, `$1\n${text}\n\n$2`));
} finally {
  for (const one of Object.values(folders)) rmSync(one, { recursive: true });
}
