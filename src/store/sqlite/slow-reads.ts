import { Worker } from 'node:worker_threads';
import type { Row, Statement, StoreValue } from '../../core/store/contract.ts';
import { StoreError } from '../../core/store/contract.ts';
import { tooSlow } from '../options.ts';
import { storeError } from './errors.ts';
import type { Ask, Told } from './reader-thread.ts';

/** Reads that may take long, in threads of their own: SQLite works inside the process, and would hold up all the rest. */
export interface SlowReads {
  read(statement: Statement, values: readonly StoreValue[], all: boolean): Promise<readonly Row[]>;
  close(): Promise<void>;
}

/** A read that is asked for, and waits for a thread or for its end. */
interface Waiting {
  readonly ask: Ask;
  /** Nobody waits for it any longer. */
  over: boolean;
  end(told: Told): void;
  fail(error: StoreError): void;
}

interface Thread {
  readonly worker: Worker;
  at: Waiting | undefined;
}

/** `threads` at most, made when they are first needed. A read that takes longer than `longest` milliseconds is given up. */
export function makeSlowReads(file: string, threads: number, longest: number): SlowReads {
  const all: Thread[] = [];
  const line: Waiting[] = [];

  function start(): Thread {
    const worker = new Worker(new URL('./reader-thread.js', import.meta.url), { workerData: file });
    // A thread without work keeps no program alive.
    worker.unref();
    const thread: Thread = { worker, at: undefined };
    worker.on('message', (told: Told) => {
      const done = thread.at;
      thread.at = undefined;
      next();
      done?.end(told);
    });
    worker.on('error', (error) => {
      all.splice(all.indexOf(thread), 1);
      thread.at?.fail(storeError(error, file));
      next();
    });
    all.push(thread);
    return thread;
  }

  function next(): void {
    while (line[0]?.over === true) line.shift();
    if (line.length === 0) return;
    const thread = all.find(({ at }) => at === undefined) ?? (all.length < threads ? start() : undefined);
    if (thread === undefined) return;
    thread.at = line.shift()!;
    thread.worker.postMessage(thread.at.ask);
  }

  return {
    read({ sql }, values, many) {
      return new Promise((resolve, reject) => {
        const timer = setTimeout(() => {
          waiting.over = true;
          reject(tooSlow(longest));
        }, longest);
        const waiting: Waiting = {
          ask: { sql, values, all: many },
          over: false,
          end(told) {
            clearTimeout(timer);
            if ('rows' in told) resolve(told.rows);
            else reject(storeError(told.error, file));
          },
          fail(error) {
            clearTimeout(timer);
            reject(error);
          },
        };
        line.push(waiting);
        next();
      });
    },

    async close() {
      await Promise.all(all.map(({ worker }) => worker.terminate()));
    },
  };
}
