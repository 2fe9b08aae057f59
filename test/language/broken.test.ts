import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@jest/globals';
import { folderWith, vantfell } from '../kit/program.ts';

const folder = fileURLToPath(new URL('../fixtures/broken', import.meta.url));

/** `UPDATE_BROKEN=1` writes what the program says now; read every line of it before you keep it. */
test('a project with dozens of mistakes: every one at its place, with its remedy, in one run', async () => {
  const ran = await vantfell(['check', '-C', folder]);
  expect(ran).toMatchObject({ code: 1, err: '' });
  const file = join(folder, 'expected.txt');
  if (process.env.UPDATE_BROKEN === '1') writeFileSync(file, ran.out);
  expect(ran.out).toBe(readFileSync(file, 'utf8'));
  const codes = new Set([...ran.out.matchAll(/^[\w/]+\.yaml:\d+:\d+ {2}([a-z-]+)$/gm)].map(([, code]) => code));
  expect(codes.size).toBeGreaterThan(30);
});

test('500 models are checked in one go, and all of them are sound', async () => {
  // How long it takes stands in docs/benchmarks.md.
  const { writeLargeProject } = await import('../../bench/large-project.mjs');
  const project = folderWith();
  writeLargeProject(project, 500);
  const { code, out } = await vantfell(['check', '-C', project]);
  expect({ code, end: out.split('\n').at(-2) }).toEqual({ code: 0, end: 'sound: Large, 500 models, 3000 endpoints' });
});
