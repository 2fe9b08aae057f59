import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@jest/globals';
import { folderWith, vantfell } from '../kit/program.ts';

const folder = fileURLToPath(new URL('../fixtures/broken', import.meta.url));

/** `UPDATE_BROKEN=1` writes the places and codes that the program gives now; read every line before you keep it. */
test('a project with dozens of mistakes: every one at its place, with its remedy, in one run', async () => {
  const ran = await vantfell(['check', '-C', folder]);
  expect(ran).toMatchObject({ code: 1, err: '' });
  const problems = ran.out.split('\n\n').filter((one) => /^[\w/]+\.yaml:\d/.test(one));
  const found = problems.map((one) => one.slice(0, one.indexOf('\n')));
  const file = join(folder, 'expected.txt');
  if (process.env.UPDATE_BROKEN === '1') writeFileSync(file, `${found.join('\n')}\n`);
  expect(found).toEqual(readFileSync(file, 'utf8').trimEnd().split('\n'));
  for (const problem of problems) {
    const [place, message, ...rest] = problem.split('\n');
    const [, line, column] = /:(\d+):(\d+) {2}[a-z]/.exec(place!)!;
    expect(message).toMatch(/^ {2}\S/);
    expect(rest.at(-1)).toMatch(/^ {2}→ \S/);
    // The line itself is shown, with marks below what is wrong.
    const at = rest.findIndex((one) => one.startsWith('  > '));
    expect(rest[at]).toMatch(new RegExp(`^  > +${line} \\|`));
    const begins = rest[at]!.indexOf('|') + 1 + Number(column);
    expect(rest[at + 1]!.indexOf('^')).toBe(begins);
  }
  expect(new Set(found.map((one) => one.split('  ')[1])).size).toBeGreaterThan(30);
});

test('500 models are checked in one go, and all of them are sound', async () => {
  // How long it takes stands in docs/benchmarks.md.
  const { writeLargeProject } = await import('../../bench/large-project.mjs');
  const project = folderWith();
  writeLargeProject(project, 500);
  const { code, out } = await vantfell(['check', '-C', project]);
  expect({ code, end: out.split('\n').at(-2) }).toEqual({ code: 0, end: 'sound: Large, 500 models, 3000 endpoints' });
});
