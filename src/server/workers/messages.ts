import type { MetricObjectWithValues, MetricValue } from 'prom-client';

/** What one process has counted. */
export type Measured = readonly MetricObjectWithValues<MetricValue<string>>[];

/** What a worker tells its primary. */
export type ToPrimary =
  | { readonly vantfell: 'callers-changed' }
  | { readonly vantfell: 'tables-moved' }
  /** It is asked for the metrics of all. */
  | { readonly vantfell: 'metrics'; readonly id: number }
  /** The answer to `measure`. */
  | { readonly vantfell: 'measured'; readonly id: number; readonly measured: Measured };

/** What a primary tells a worker. */
export type ToWorker =
  | { readonly vantfell: 'callers-changed' }
  /** Others take what is new from now on. */
  | { readonly vantfell: 'drain' }
  | { readonly vantfell: 'measure'; readonly id: number }
  /** The answer to `metrics`. */
  | { readonly vantfell: 'metrics'; readonly id: number; readonly page: string };

/** The variable that gives a worker its number. */
export const WORKER = 'VANTFELL_WORKER';

/** Others use the same channel. */
export const isOwn = <Message extends { readonly vantfell: string }>(message: unknown): message is Message =>
  typeof message === 'object' && message !== null && 'vantfell' in message;
