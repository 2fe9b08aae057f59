import { spawn } from 'node:child_process';
import { freePort } from './postgres.mjs';
import { started } from './started.mjs';

export interface TestRedis {
  readonly url: string;
  /** It answers nothing from now on, and its connections stay open. */
  freeze(): void;
  thaw(): void;
  stop(): Promise<void>;
}

/** A Redis of its own, which keeps nothing. */
export async function startRedis(given?: number): Promise<TestRedis> {
  const port = given ?? (await freePort());
  const words = ['--port', String(port), '--bind', '127.0.0.1', '--save', '', '--appendonly', 'no'];
  const child = spawn('redis-server', words, { stdio: ['ignore', 'pipe', 'inherit'] });
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  await started(child, child.stdout, /Ready to accept connections/, 'Redis');
  return {
    url: `redis://127.0.0.1:${port}`,
    freeze: () => void child.kill('SIGSTOP'),
    thaw: () => void child.kill('SIGCONT'),
    async stop() {
      child.kill('SIGCONT');
      child.kill('SIGKILL');
      await ended;
    },
  };
}
