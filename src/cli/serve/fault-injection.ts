import { setTimeout } from 'node:timers/promises';
import { HttpProblem } from '../../core/api/problems.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { readTime } from './read-time.ts';

/** Faults that a service is to have, to test its clients. */
export interface InjectedFaults {
  /** Milliseconds that every request waits before it is read. */
  readonly slow: number;
  /** The share of requests that fail, from 0 to 1. */
  readonly fail: number;
}

/**
 * Makes requests wait and fail as asked; undefined where neither was. What fails is not even read: it changes nothing.
 */
export function faultInjection({ slow, fail }: InjectedFaults): (() => Promise<void>) | undefined {
  if (slow === 0 && fail === 0) return undefined;
  return async () => {
    if (slow > 0) await setTimeout(slow);
    if (Math.random() >= fail) return;
    throw new HttpProblem('store-unavailable', 'serve --fail asked for this', { headers: { 'retry-after': '1' } });
  };
}

/** `--slow 800ms`, `--fail 5%`. */
export function readInjectedFaults(slow: string | undefined, fail: string | undefined): InjectedFaults {
  return { slow: slow === undefined ? 0 : readTime('--slow', slow), fail: fail === undefined ? 0 : readFail(fail) };
}

function readFail(text: string): number {
  const [, count] = /^(\d+(?:\.\d+)?)%$/.exec(text) ?? [];
  const share = count === undefined ? NaN : Number(count) / 100;
  if (share > 0 && share <= 1) return share;
  throw new Failure(EXIT.wrongCommand, `--fail can not be ${text}`, 'write a share of all requests, like 5%');
}
