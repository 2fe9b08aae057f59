import { AggregatorRegistry, Registry } from 'prom-client';
import type { Measured } from './messages.ts';
import { tellWorker } from './pool.ts';
import type { WorkerPool } from './pool.ts';

/** What all workers have counted, on one page. */
export interface Measuring {
  /** Asks all of them. One that doesn't answer in time is left out. */
  page(): Promise<string>;
  /** Takes the answer of one. */
  answered(id: number, measured: Measured): void;
}

const LONGEST_MS = 2_000;
/** Its types leave the second argument out. */
const aggregate = AggregatorRegistry.aggregate as unknown as (all: readonly Measured[], type: string) => Registry;

export function makeMeasuring(pool: Pick<WorkerPool, 'serving'>): Measuring {
  const open = new Map<number, (measured: Measured) => void>();
  let asked = 0;
  return {
    answered: (id, measured) => open.get(id)?.(measured),
    async page() {
      const workers = pool.serving();
      const id = (asked += 1);
      const all = await new Promise<readonly Measured[]>((resolve) => {
        const answers: Measured[] = [];
        const end = (): void => {
          clearTimeout(timer);
          open.delete(id);
          resolve(answers);
        };
        const timer = setTimeout(end, LONGEST_MS);
        open.set(id, (measured) => {
          answers.push(measured);
          if (answers.length === workers.length) end();
        });
        for (const worker of workers) tellWorker(worker, { vantfell: 'measure', id });
      });
      return aggregate(all, Registry.OPENMETRICS_CONTENT_TYPE).metrics();
    },
  };
}
