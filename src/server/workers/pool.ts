import cluster from 'node:cluster';
import type { Address, Worker } from 'node:cluster';
import { isOwn, WORKER } from './messages.ts';
import type { ToPrimary, ToWorker } from './messages.ts';

/** Processes that serve one port together. */
export interface WorkerPool {
  /** Resolves when all of them listen. Rejects with `WorkerFailed` where the first can't, and starts no other. */
  start(): Promise<Address>;
  /** As many new ones take the place of all that there are. Rejects where one can't start: then the old ones stay. */
  renew(): Promise<void>;
  /** Lets all of them finish; resolves to the worst of their exit codes. */
  stop(): Promise<number>;
  /** Ends all of them at once. */
  kill(): void;
  /** Those that answer. */
  serving(): readonly Worker[];
}

export interface WorkerPoolOptions {
  readonly count: number;
  /** Told of a worker that has ended by itself, and after how many milliseconds another takes its place. */
  onDeath(number: number, how: string, pause: number): void;
  onMessage(message: ToPrimary, from: Worker): void;
}

/** A worker has ended before it served anything. It has said why. */
export class WorkerFailed extends Error {
  readonly exit: number;

  constructor(exit: number) {
    super('a worker could not start');
    this.exit = exit;
  }
}

interface Member {
  /** The lowest that is free: what is counted under it goes on where another has ended. */
  readonly number: number;
  readonly worker: Worker;
  isServing: boolean;
  isEnding: boolean;
}

const FIRST_PAUSE_MS = 100;
const LONGEST_PAUSE_MS = 30_000;
/** A connection that an old worker has taken has its request by then. */
const DRAIN_MS = 1_000;
/** Deaths are forgotten after so long. */
const MEMORY_MS = 60_000;

export function makeWorkerPool({ count, onDeath, onMessage }: WorkerPoolOptions): WorkerPool {
  const members = new Set<Member>();
  let deaths: number[] = [];
  let isStopping = false;
  let worst = 0;
  cluster.on('message', (worker, message: unknown) => {
    if (isOwn<ToPrimary>(message)) onMessage(message, worker);
  });

  function hire(): Promise<Address> {
    const taken = new Set([...members].map(({ number }) => number));
    let number = 1;
    while (taken.has(number)) number += 1;
    const worker = cluster.fork({ [WORKER]: String(number) });
    const member: Member = { number, worker, isServing: false, isEnding: false };
    members.add(member);
    return new Promise((resolve, reject) => {
      worker.once('listening', (address) => {
        member.isServing = true;
        resolve(address);
      });
      worker.once('exit', (code, signal) => {
        members.delete(member);
        worst = Math.max(worst, code ?? 1);
        if (!member.isServing) reject(new WorkerFailed(code ?? 1));
        else if (!member.isEnding && !isStopping) replace(number, signal ?? `exit code ${code}`);
      });
    });
  }

  function replace(number: number, how: string): void {
    const now = Date.now();
    deaths = [...deaths.filter((at) => now - at < MEMORY_MS), now];
    const pause = Math.min(LONGEST_PAUSE_MS, FIRST_PAUSE_MS * 2 ** (deaths.length - 1));
    onDeath(number, how, pause);
    setTimeout(() => {
      if (isStopping || [...members].filter(({ isEnding }) => !isEnding).length >= count) return;
      hire().catch(() => replace(number, 'an error as it started'));
    }, pause);
  }

  return {
    async start() {
      const address = await hire();
      await Promise.all(Array.from({ length: count - 1 }, hire));
      return address;
    },
    async renew() {
      const before = [...members];
      const hired = await Promise.allSettled(Array.from({ length: count }, hire));
      const failed = hired.find(({ status }) => status === 'rejected');
      const old = failed === undefined ? before : [...members].filter((member) => !before.includes(member));
      retire(old);
      if (failed !== undefined) throw (failed as PromiseRejectedResult).reason;
    },
    async stop() {
      isStopping = true;
      worst = 0;
      const ended = [...members].map(({ worker }) => new Promise((resolve) => worker.once('exit', resolve)));
      end(members);
      await Promise.all(ended);
      return worst;
    },
    kill() {
      isStopping = true;
      for (const { worker } of members) worker.process.kill('SIGKILL');
    },
    serving: () => [...members].filter(({ isServing }) => isServing).map(({ worker }) => worker),
  };
}

function end(some: Iterable<Member>): void {
  for (const member of some) {
    member.isEnding = true;
    member.worker.process.kill('SIGTERM');
  }
}

/** Others take what is new at once; what is on its way to these is answered. */
function retire(some: readonly Member[]): void {
  for (const member of some) {
    member.isEnding = true;
    tellWorker(member.worker, { vantfell: 'drain' });
  }
  setTimeout(() => end(some.filter(({ worker }) => !worker.isDead())), DRAIN_MS);
}

export const tellWorker = (worker: Worker, message: ToWorker): void => {
  if (worker.isConnected()) worker.send(message, () => undefined);
};
