import { execFile, spawn } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { delimiter, join } from 'node:path';
import { promisify } from 'node:util';
import { randomBytes } from 'node:crypto';
import { createConnection } from 'mariadb';
import { freePort } from './postgres.mjs';
import { started } from './started.mjs';

const run = promisify(execFile);

/** Where a program of MariaDB is; undefined on a machine without. */
export const found = (program) =>
  [...(process.env.PATH ?? '').split(delimiter), '/usr/sbin', '/usr/local/sbin']
    .map((folder) => join(folder, program))
    .find((file) => existsSync(file));

/** Whether there is a MariaDB to try: one that is named, or one that the tests can start. */
export const hasMariadb = process.env.VANTFELL_TEST_MARIADB !== undefined || found('mariadbd') !== undefined;

/** The one that `VANTFELL_TEST_MARIADB` names, as the tests of one run share it; or a MariaDB of one's own. */
export function sharedMariadb() {
  const given = process.env.VANTFELL_TEST_MARIADB;
  return given === undefined ? startMariadb() : { url: given, stop: () => Promise.resolve() };
}

/** What is lost with the machine is lost with the tests. */
export const QUICK = ['--innodb-flush-log-at-trx-commit=0', '--innodb-flush-method=nosync', '--innodb-doublewrite=0'];

/** A MariaDB on a folder and a port of its own. */
export async function startMariadb() {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-mariadb-'));
  const [data, port] = [join(folder, 'data'), await freePort()];
  const user = process.getuid?.() === 0 ? ['--user=root'] : [];
  await run(found('mariadb-install-db') ?? 'mariadb-install-db', [
    ...['--no-defaults', ...user, `--datadir=${data}`, '--auth-root-authentication-method=normal'],
    '--skip-test-db',
  ]);
  const settings = { datadir: data, port, socket: join(folder, 'socket'), 'pid-file': join(folder, 'pid') };
  const words = Object.entries(settings).map(([name, value]) => `--${name}=${value}`);
  const fixed = ['--bind-address=127.0.0.1', '--skip-name-resolve', '--max-connections=500', ...QUICK];
  const server = spawn(found('mariadbd'), ['--no-defaults', ...user, ...words, ...fixed], {
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  await started(server, server.stderr, /ready for connections/, 'MariaDB');
  // A server that crashes says at which statement.
  let [said, isStopping] = ['', false];
  server.stderr.on('data', (chunk) => (said = (said + chunk).slice(-20_000)));
  const ended = new Promise((resolve) => {
    server.once('close', (code, signal) => {
      if (!isStopping) console.error(`MariaDB ended by itself, ${signal ?? code}:\n${said}`);
      resolve();
    });
  });
  return {
    url: `mariadb://root@127.0.0.1:${port}`,
    async stop() {
      isStopping = true;
      server.kill('SIGTERM');
      await ended;
      rmSync(folder, { recursive: true });
    },
  };
}

/** A new database on the server, and how to reach it: others at the same time may want one of that name. */
export async function newMariadb(server, name) {
  const { hostname: host, port, username: user, password } = new URL(server.url);
  const own = `${name}_${randomBytes(4).toString('hex')}`;
  const connection = await createConnection({ host, port: Number(port), user, password });
  await connection.query(`CREATE DATABASE ${own} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin`);
  await connection.end();
  return `${server.url}/${own}`;
}
