import { expect, test } from '@jest/globals';
import { Registry } from 'prom-client';
import { makeDurations } from './durations.ts';

test('durations are counted up to each bound, and added up', async () => {
  const registry = new Registry();
  const durations = makeDurations(registry, 'wait_seconds', 'How long.');
  const [read, none] = [durations.series({ of: 'read' }), durations.series({})];
  for (const milliseconds of [0.5, 0.6, 10_000, 10_001]) read.observe(milliseconds);
  none.observe(3);
  const lines = (await registry.metrics()).split('\n');
  expect(lines.slice(0, 2)).toEqual(['# HELP wait_seconds How long.', '# TYPE wait_seconds histogram']);
  const value = (name: string): number => Number(lines.find((line) => line.startsWith(`${name} `))?.split(' ')[1]);
  const upTo = (bound: string): number => value(`wait_seconds_bucket{le="${bound}",of="read"}`);
  expect(['0.0005', '0.001', '5', '10', '+Inf'].map(upTo)).toEqual([1, 2, 2, 3, 4]);
  expect(value('wait_seconds_sum{of="read"}')).toBeCloseTo(20.0021);
  expect([value('wait_seconds_count{of="read"}'), value('wait_seconds_count')]).toEqual([4, 1]);
});
