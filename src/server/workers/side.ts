import cluster from 'node:cluster';
import { RateLimiterCluster } from 'rate-limiter-flexible';
import type { Shared } from '../../core/http/shared.ts';
import { limiterAllowance, MINUTE_S } from '../limiter.ts';
import type { Metrics } from '../metrics.ts';
import { isOwn, WORKER } from './messages.ts';
import type { ToPrimary, ToWorker } from './messages.ts';

/** A worker's side of the channel to its primary. */
export interface WorkerSide {
  readonly number: number;
  /** Limits that are counted over all workers, and news of callers. */
  readonly shared: Shared;
  tablesMoved(): void;
  /** Calls `drain` once others take what is new. */
  onDrain(drain: () => void): void;
  /** Closes the channel: while it is open, the process does not end. */
  leave(): void;
  /** Answers the primary's questions for what is counted here; gives the page of all workers. */
  metricsOfAll(own: Metrics): () => Promise<string>;
}

/** No request waits longer for its primary. */
const LONGEST_MS = 1_000;

/** Undefined in a process that is no worker. */
export function workerSide(): WorkerSide | undefined {
  const number = Number(process.env[WORKER]);
  if (!Number.isInteger(number) || number < 1 || process.send === undefined) return undefined;
  const tell = (message: ToPrimary): void => void (process.connected && process.send!(message));
  const onMessage = (take: (message: ToWorker) => void): void =>
    void process.on('message', (message) => isOwn<ToWorker>(message) && take(message));
  return {
    number,
    shared: {
      allowance: clusterAllowance,
      callersChanged: () => tell({ vantfell: 'callers-changed' }),
      onCallersChanged: (forget) => onMessage(({ vantfell }) => vantfell === 'callers-changed' && forget()),
    },
    tablesMoved: () => tell({ vantfell: 'tables-moved' }),
    onDrain: (drain) => onMessage(({ vantfell }) => vantfell === 'drain' && drain()),
    leave: () => void cluster.worker?.disconnect(),
    metricsOfAll(own) {
      const waiting = new Map<number, (page: string) => void>();
      let asked = 0;
      onMessage((message) => {
        if (message.vantfell === 'metrics') {
          waiting.get(message.id)?.(message.page);
          waiting.delete(message.id);
        }
        if (message.vantfell !== 'measure') return;
        const { id } = message;
        void own.measured().then((measured) => tell({ vantfell: 'measured', id, measured }));
      });
      return () =>
        new Promise((resolve) => {
          waiting.set((asked += 1), resolve);
          tell({ vantfell: 'metrics', id: asked });
        });
    },
  };
}

const clusterAllowance: Shared['allowance'] = (name, perMinute) =>
  limiterAllowance(
    new RateLimiterCluster({ keyPrefix: name, points: perMinute, duration: MINUTE_S, timeoutMs: LONGEST_MS }),
    (by) => by,
  );
