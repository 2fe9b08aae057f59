// npm run bench:check: how long `vantfell check` takes on 500 models, the start of the program included.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { writeLargeProject } from './large-project.mjs';

const RUNS = 7;
const here = (name) => fileURLToPath(new URL(name, import.meta.url));
const folder = mkdtempSync(join(tmpdir(), 'vantfell-large-'));

function fastest(words) {
  const runs = Array.from({ length: RUNS }, () => {
    const start = performance.now();
    const { status, stderr } = spawnSync(process.execPath, words, { encoding: 'utf8' });
    if (status !== 0) throw new Error(stderr);
    return performance.now() - start;
  }).sort((one, other) => one - other);
  return { best: runs[0], middle: runs[Math.floor(RUNS / 2)] };
}

try {
  writeLargeProject(folder, 500);
  const start = fastest(['-e', '0']);
  const check = fastest([here('../dist/cli/main.js'), 'check', '-C', folder]);
  const seconds = (milliseconds) => `${(milliseconds / 1000).toFixed(2)} s`;
  const text =
    `Checking 500 models of 18 lines each took ${seconds(check.best)} at best and ${seconds(check.middle)} in the middle of ` +
    `${RUNS} runs (bar 1.5 s); Node alone took ${seconds(start.best)} to start.`;
  console.log(text);
  const page = here('../docs/benchmarks.md');
  const marks = /(<!-- check -->\n)[\s\S]*(<!-- end of check -->)/;
  writeFileSync(page, readFileSync(page, 'utf8').replace(marks, `$1\n${text}\n\n$2`));
} finally {
  rmSync(folder, { recursive: true });
}
