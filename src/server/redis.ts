import { createHmac } from 'node:crypto';
import { Redis } from 'ioredis';
import { RateLimiterMemory, RateLimiterRedis } from 'rate-limiter-flexible';
import type { Allowance } from '../core/http/allowance.ts';
import type { Shared } from '../core/http/shared.ts';
import { withoutPassword } from '../core/text/without-password.ts';
import { limiterAllowance, MINUTE_S } from './limiter.ts';

/** What all instances of a service have in common, kept by a Redis. */
export interface SharedRedis extends Shared {
  close(): void;
}

/** No request waits longer for it: then this instance counts for itself. */
const LONGEST_MS = 250;
const MOST_PAUSE_MS = 2_000;

/**
 * Opens a connection, and keeps it open. Nothing here ever fails a request: while Redis is away, limits hold for this
 * instance alone, and `warn` is told once. `key` is that of the service: its instances find each other by it, and what
 * they keep there tells nobody who asks for what.
 */
export function openRedis(url: string, key: string, warn: (text: string) => void): SharedRedis {
  const address = withoutPassword(url);
  const settings = {
    enableOfflineQueue: false,
    connectTimeout: MOST_PAUSE_MS,
    maxRetriesPerRequest: 0,
    retryStrategy: (tries: number): number => Math.min(MOST_PAUSE_MS, 50 * 2 ** tries),
  };
  const asking = new Redis(url, { ...settings, commandTimeout: LONGEST_MS });
  const listening = new Redis(url, settings);
  const mark = (text: string): string => createHmac('sha256', key).update(text).digest('base64url').slice(0, 22);
  const channel = `vantfell:${mark('callers')}`;
  const itself = mark(`instance ${process.pid} ${Math.random()}`);
  let forget = (): void => undefined;
  let isAway = false;
  let isOver = false;

  const away = (error: unknown): void => {
    if (isAway || isOver) return;
    isAway = true;
    const why = error instanceof Error && error.message !== '' ? `: ${error.message}` : '';
    warn(`the Redis ${address} is away${why}; until it is back, this instance counts limits for itself`);
  };
  for (const one of [asking, listening]) one.on('error', away).on('close', () => away(undefined));
  asking.on('ready', () => {
    if (isAway) warn(`the Redis ${address} is back: it counts limits over all instances`);
    isAway = false;
  });
  // What was told meanwhile is not known.
  listening.on('ready', () => {
    forget();
    listening.subscribe(channel).catch(away);
  });
  listening.on('message', (_channel: string, from: string) => from !== itself && forget());

  return {
    allowance: (name, perMinute) => allowanceIn(asking, mark, name, perMinute),
    callersChanged: () => void asking.publish(channel, itself).catch(away),
    onCallersChanged: (call) => void (forget = call),
    close() {
      isOver = true;
      for (const one of [asking, listening]) one.disconnect();
    },
  };
}

function allowanceIn(client: Redis, mark: (text: string) => string, name: string, perMinute: number): Allowance {
  const limit = { points: perMinute, duration: MINUTE_S, keyPrefix: `vantfell:${mark(name)}` };
  const limiter = new RateLimiterRedis({
    ...limit,
    storeClient: client,
    rejectIfRedisNotReady: true,
    insuranceLimiter: new RateLimiterMemory(limit),
  });
  return limiterAllowance(limiter, mark);
}
