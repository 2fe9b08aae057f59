import { spawn } from 'node:child_process';
import { chownSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { freePort } from './postgres.mjs';
import { started } from './started.mjs';

export interface Pooler {
  /** The address of a database behind it. */
  urlOf(database: string): string;
  stop(): Promise<void>;
}

/** A pooler of its own in transaction mode before a server, with fewer connections than a service opens. */
export async function startPooler(server: { readonly url: string }): Promise<Pooler> {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-pooler-'));
  const { hostname, port: behind, username } = new URL(server.url);
  const port = await freePort();
  const settings = [
    '[databases]',
    `* = host=${hostname} port=${behind} user=${username}`,
    '[pgbouncer]',
    'listen_addr = 127.0.0.1',
    `listen_port = ${port}`,
    'unix_socket_dir =',
    'auth_type = any',
    'pool_mode = transaction',
    'default_pool_size = 3',
    'max_client_conn = 200',
    'server_lifetime = 5',
  ];
  const file = join(folder, 'pooler.ini');
  writeFileSync(file, `${settings.join('\n')}\n`);
  // It refuses to run as root.
  const as = process.getuid?.() === 0 ? { uid: 65_534, gid: 65_534 } : {};
  if ('uid' in as) for (const path of [folder, file]) chownSync(path, as.uid!, as.gid!);
  const child = spawn('pgbouncer', [file], { ...as, cwd: folder, stdio: ['ignore', 'ignore', 'pipe'] });
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  await started(child, child.stderr, /process up/, 'the pooler');
  return {
    urlOf: (database) => `postgres://${username}@127.0.0.1:${port}/${database}`,
    async stop() {
      child.kill('SIGKILL');
      await ended;
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
