import { execFile, spawn } from 'node:child_process';
import { chownSync, existsSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { found, QUICK } from './mariadb.mjs';
import { freePort } from './postgres.mjs';
import { started } from './started.mjs';

const run = promisify(execFile);
const PROVIDERS = ['/usr/lib/galera/libgalera_smm.so', '/usr/lib64/galera/libgalera_smm.so'];
const provider = PROVIDERS.find((file) => existsSync(file));

/** Both are said, in either order. */
const READY = /ready for connections[^]*Synchronized with group|Synchronized with group[^]*ready for connections/;

/** Whether there is a cluster to try on this machine. */
export const hasGalera = provider !== undefined && found('mariadbd') !== undefined;

/** A cluster of so many nodes on loopback ports, each of which has all that the others have. */
export async function startGalera(count) {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-galera-'));
  own(folder);
  const nodes = [];
  for (let at = 0; at < count; at += 1) nodes.push(await nodeIn(join(folder, `node${at}`)));
  const members = nodes.map(({ talk }) => `127.0.0.1:${talk}`).join(',');
  await nodes[0].start(members, true);
  for (const node of nodes.slice(1)) await node.start(members, false);
  return {
    nodes: nodes.map((node) => ({
      url: `mariadb://root@127.0.0.1:${node.port}`,
      kill: () => node.end('SIGKILL'),
      join: () => node.start(members, false),
    })),
    async stop() {
      for (const node of [...nodes].reverse()) await node.end('SIGTERM');
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** What nodes send each other when one joins is written by nobody's rights where root runs it. */
const as = process.getuid?.() === 0 ? { uid: 65_534, gid: 65_534 } : {};
const own = (folder) => as.uid !== undefined && chownSync(folder, as.uid, as.gid);

async function nodeIn(folder) {
  mkdirSync(folder);
  own(folder);
  const options = { ...as, cwd: folder, env: { ...process.env, HOME: folder } };
  const data = join(folder, 'data');
  const words = ['--no-defaults', `--datadir=${data}`, '--auth-root-authentication-method=normal', '--skip-test-db'];
  await run(found('mariadb-install-db') ?? 'mariadb-install-db', words, options);
  const [port, talk, ist, sst] = [await freePort(), await freePort(), await freePort(), await freePort()];
  let server;
  let ended = Promise.resolve();
  return {
    port,
    talk,
    async start(members, isFirst) {
      const settings = {
        datadir: data,
        port,
        socket: join(folder, 'socket'),
        'pid-file': join(folder, 'pid'),
        'bind-address': '127.0.0.1',
        'binlog-format': 'ROW',
        'innodb-autoinc-lock-mode': 2,
        'innodb-buffer-pool-size': '64M',
        'wsrep-on': 'ON',
        'wsrep-provider': provider,
        'wsrep-cluster-name': 'tests',
        'wsrep-cluster-address': `gcomm://${isFirst ? '' : members}`,
        'wsrep-node-address': `127.0.0.1:${talk}`,
        'wsrep-node-incoming-address': `127.0.0.1:${port}`,
        'wsrep-sst-method': 'rsync',
        'wsrep-sst-receive-address': `127.0.0.1:${sst}`,
        'wsrep-provider-options':
          `gmcast.listen_addr=tcp://127.0.0.1:${talk};ist.recv_addr=127.0.0.1:${ist};gcache.size=32M;` +
          'evs.keepalive_period=PT0.3S;evs.suspect_timeout=PT1.5S;evs.inactive_timeout=PT5S;pc.recovery=false',
      };
      const words = Object.entries(settings).map(([name, value]) => `--${name}=${value}`);
      server = spawn(found('mariadbd'), ['--no-defaults', ...words, '--skip-name-resolve', ...QUICK], {
        ...options,
        stdio: ['ignore', 'ignore', 'pipe'],
      });
      const child = server;
      ended = new Promise((resolve) => child.once('exit', () => resolve()));
      await started(child, child.stderr, READY, 'a node of the cluster');
    },
    end(signal) {
      server?.kill(signal);
      return ended;
    },
  };
}
