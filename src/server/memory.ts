import { PerformanceObserver } from 'node:perf_hooks';
import { getHeapSpaceStatistics, setFlagsFromString } from 'node:v8';

/** Bytes of what is new: two halves of 16 MB, as Node 20 has them at most. Later versions take three times that. */
const MOST_NEW = 32_000_000;

/**
 * Holds the memory of a service small, in no time that can be measured. What it has kept may grow by half before it is
 * swept: under load, V8 would let it grow to the fourfold, most of which belonged to requests that are answered. And
 * what is new grows up to a bound.
 */
export function holdMemory(): void {
  setFlagsFromString('--heap-growing-percent=50');
  const observer = new PerformanceObserver(() => {
    const found = getHeapSpaceStatistics().find(({ space_name: name }) => name === 'new_space');
    if (found !== undefined && found.space_size < MOST_NEW) return;
    setFlagsFromString('--semi-space-growth-factor=1');
    observer.disconnect();
  });
  observer.observe({ entryTypes: ['gc'] });
}
