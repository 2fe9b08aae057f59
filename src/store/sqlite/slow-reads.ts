import { fork } from 'node:child_process';
import type { ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { Row, Statement, StoreValue } from '../../core/sql/statement.ts';
import { StoreError } from '../../core/store/contract.ts';
import type { Requester } from '../../core/store/contract.ts';
import { makeFairLine } from '../base/fair-line.ts';
import { storeError } from './errors.ts';
import type { Ask, Told } from './reader-process.ts';

/**
 * Reads that may take long, in processes of their own: SQLite works inside the process, and would hold up all the
 * rest.
 */
export interface SlowReads {
  read(
    statement: Statement,
    values: readonly StoreValue[],
    all: boolean,
    requester: Requester | undefined,
  ): Promise<readonly Row[]>;
  close(): Promise<void>;
}

interface ReaderProcess {
  readonly child: ChildProcess;
  isBusy: boolean;
}

/**
 * `most` processes, made when they are first needed. A read that takes longer than `longest` milliseconds, or for which
 * nobody waits any more, is stopped: its process is killed, and the next read gets another.
 */
export function makeSlowReads(file: string, most: number, longest: number, asItIs: boolean): SlowReads {
  const line = makeFairLine(most, longest);
  const processes = new Set<ReaderProcess>();
  const program = fileURLToPath(new URL('./reader-process.js', import.meta.url));

  function start(): ReaderProcess {
    const child = fork(program, [file, ...(asItIs ? ['as-it-is'] : [])], {
      serialization: 'advanced',
      execArgv: [],
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
    });
    // A process without work keeps no program alive.
    child.unref();
    child.channel?.unref();
    const made: ReaderProcess = { child, isBusy: false };
    child.once('exit', () => processes.delete(made));
    // Its end reports what went wrong.
    child.on('error', () => processes.delete(made));
    processes.add(made);
    return made;
  }

  function ask(question: Ask, stop: AbortSignal): Promise<readonly Row[]> {
    const reader = [...processes].find(({ isBusy }) => !isBusy) ?? start();
    const { child } = reader;
    reader.isBusy = true;
    return new Promise((resolve, reject) => {
      const kill = (): void => {
        processes.delete(reader);
        child.kill('SIGKILL');
      };
      const end = (finish: () => void): void => {
        child.off('message', told).off('exit', gone).off('error', gone);
        stop.removeEventListener('abort', kill);
        reader.isBusy = false;
        finish();
      };
      const told = (answer: Told): void =>
        end(() => ('rows' in answer ? resolve(answer.rows) : reject(storeError(answer.error, file))));
      const gone = (): void =>
        end(() => reject(new StoreError({ kind: 'busy' }, `a read of ${file} was stopped`, 'try again in a moment')));
      child.on('message', told).on('exit', gone).on('error', gone);
      stop.addEventListener('abort', kill);
      if (stop.aborted) return kill();
      child.send(question, (error) => {
        if (error !== null) kill();
      });
    });
  }

  return {
    read: ({ sql }, values, all, requester) => line.run(requester, (stop) => ask({ sql, values, all }, stop)),

    async close() {
      const ended = [...processes].map(({ child }) => {
        // It is waited for now, and nothing else may keep the program going.
        child.ref();
        return new Promise((resolve) => void child.once('exit', resolve).kill('SIGKILL'));
      });
      await Promise.all(ended);
    },
  };
}
