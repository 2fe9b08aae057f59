import { existsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { folderWith, vantfell } from '../kit/program.ts';

test('demo makes a project, seeds, asks, tries, and says how to go on; a second time it goes on', async () => {
  const cwd = folderWith();
  const first = await vantfell(['demo'], { cwd });
  expect(first.code).toBe(0);
  for (const words of [
    'night        1080',
    'The record breaks 3 rules',
    'Not enough is left',
    ' passed, 0 failed in',
    'vantfell serve -C fell-huts',
  ]) {
    expect(first.out).toContain(words);
  }
  expect(existsSync(join(cwd, 'fell-huts/data/fell-huts.db'))).toBe(true);
  // A second time it goes on with what is there; which is spoiled here, so that it need not all be tried again.
  expect(Number(/(\d+) passed, 0 failed/.exec(first.out)![1])).toBeGreaterThan(1_000);
  writeFileSync(join(cwd, 'fell-huts/samples/huts.yaml'), 'grey-hut: { name: X }\n');
  const second = await vantfell(['demo'], { cwd });
  expect(second).toMatchObject({ code: 1, err: expect.stringContaining('its files are left as they are') });
});
