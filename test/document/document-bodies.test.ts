import { expect, test } from '@jest/globals';
import { tryBodies } from '../kit/bodies.ts';
import { demoFolder } from '../kit/program.ts';

test('what the document allows, the demo takes; what it does not, it refuses', async () => {
  const { taken, refused } = await tryBodies(demoFolder(), 1);
  expect(taken).toBeGreaterThan(100);
  expect(refused).toBeGreaterThan(20);
});
