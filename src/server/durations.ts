import type { Registry } from 'prom-client';

/** How long things took, by labels: a histogram of OpenMetrics. */
export interface Durations {
  /** The series with these labels, which is made once. */
  series(labels: Readonly<Record<string, string>>): Series;
}

/** What is counted under the same labels. */
export interface Series {
  observe(milliseconds: number): void;
}

/** From half a millisecond to ten seconds. */
const SECONDS = [0.0005, 0.001, 0.0025, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10];
const BOUNDS = SECONDS.map((seconds) => seconds * 1_000);

/**
 * A histogram in a registry. The library's own looks its labels up with every observation, which is as much work as a
 * short statement; here, an observation counts and adds, and all else is done when somebody asks.
 */
export function makeDurations(registry: Registry, name: string, help: string): Durations {
  const all: Counted[] = [];
  const metric = {
    name,
    get: () =>
      Promise.resolve({
        ...{ name, help, type: 'histogram', aggregator: 'sum' },
        values: all.flatMap((one) => one.values(name)),
      }),
    reset: (): void => void all.splice(0),
  };
  // What the library asks of a metric is less than its types do.
  registry.registerMetric(metric as never);
  return {
    series(labels) {
      const made = new Counted(labels);
      all.push(made);
      return made;
    },
  };
}

class Counted implements Series {
  private readonly labels: Readonly<Record<string, string>>;
  /** How many took as long as each bound at most, and longer than the one before; the last took longer than all. */
  private readonly counts = new Array<number>(BOUNDS.length + 1).fill(0);
  private milliseconds = 0;

  constructor(labels: Readonly<Record<string, string>>) {
    this.labels = labels;
  }

  observe(milliseconds: number): void {
    let at = 0;
    while (at < BOUNDS.length && milliseconds > BOUNDS[at]!) at += 1;
    this.counts[at]! += 1;
    this.milliseconds += milliseconds;
  }

  values(name: string) {
    let count = 0;
    const buckets = this.counts.map((own, at) => {
      count += own;
      return { labels: { le: SECONDS[at] ?? '+Inf', ...this.labels }, value: count, metricName: `${name}_bucket` };
    });
    return [
      ...buckets,
      { labels: this.labels, value: this.milliseconds / 1_000, metricName: `${name}_sum` },
      { labels: this.labels, value: count, metricName: `${name}_count` },
    ];
  }
}
