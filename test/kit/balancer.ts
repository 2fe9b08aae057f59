import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { blocksOf } from './pages.ts';
import { freePort } from './postgres.mjs';

export interface Balancer {
  readonly url: string;
  stop(): Promise<void>;
}

/** A real load balancer, with the configuration of the guide, before instances at these ports; it looks more often. */
export async function startBalancer(ports: readonly number[]): Promise<Balancer> {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-balancer-'));
  const port = await freePort();
  const [block] = blocksOf('docs/guides/production.md', 'conf');
  const own = new Map([
    ['8000', port],
    ...['8081', '8082', '8083'].map((name, at): [string, number] => [name, ports[at]!]),
  ]);
  const text = block!.text
    .replace(/127\.0\.0\.1:(\d+)/g, (_all, name: string) => `127.0.0.1:${own.get(name)}`)
    .replace('inter 1s', 'inter 200ms');
  const file = join(folder, 'balancer.cfg');
  writeFileSync(file, text);
  const child = spawn('haproxy', ['-db', '-f', file], { stdio: ['ignore', 'ignore', 'pipe'] });
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  let said = '';
  child.stderr.on('data', (chunk: Buffer) => (said += chunk.toString()));
  while (!(await answers(port))) if (child.exitCode !== null) throw new Error(`the balancer did not start: ${said}`);
  return {
    url: `http://127.0.0.1:${port}`,
    async stop() {
      child.kill('SIGKILL');
      await ended;
      rmSync(folder, { recursive: true });
    },
  };
}

const answers = (port: number): Promise<boolean> =>
  new Promise((resolve) => {
    const socket = connect(port, '127.0.0.1');
    socket.once('connect', () => (socket.destroy(), resolve(true)));
    socket.once('error', () => setTimeout(() => resolve(false), 20));
  });
