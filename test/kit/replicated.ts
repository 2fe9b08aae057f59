import { execFile } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import pg from 'pg';
import { freePort, newCluster, newDatabase, runServer } from './postgres.mjs';

const run = promisify(execFile);

/** A PostgreSQL, and another one that follows it by streaming. */
export interface Replicated {
  /** Of a database on each. */
  urlsOf(name: string): { readonly primary: string; readonly replica: string; readonly both: string };
  newDatabase(name: string): Promise<void>;
  /** One statement on the replica. */
  onReplica(sql: string): Promise<readonly Record<string, unknown>[]>;
  /** Whether the primary waits with each write until the replica has it. */
  synchronous(isOn: boolean): Promise<void>;
  killPrimary(): Promise<void>;
  promote(): Promise<void>;
  stop(): Promise<void>;
}

export async function startReplicated(): Promise<Replicated> {
  const cluster = await newCluster();
  const follower = join(cluster.folder, 'replica');
  const ports = [await freePort(), await freePort()] as const;
  // Nothing runs yet: a copy of the files is as good as a backup.
  const { uid, gid } = cluster.options;
  await run('cp', ['-a', cluster.data, follower]);
  writeFileSync(join(follower, 'standby.signal'), '');
  if (uid !== undefined) await run('chown', [`${uid}:${gid}`, join(follower, 'standby.signal')]);
  // The files were made for so many; a replica may not have fewer.
  const more = {
    max_connections: '100',
    wal_level: 'replica',

    wal_keep_size: '512',
    hot_standby: 'on',
  };
  const primary = await runServer(cluster, cluster.data, ports[0], more);
  const replica = await runServer(cluster, follower, ports[1], {
    ...more,
    primary_conninfo: `host=127.0.0.1 port=${ports[0]} user=tests application_name=replica`,
    wal_receiver_status_interval: '100ms',
  });
  const [first, second] = ports.map((port) => `postgres://tests@127.0.0.1:${port}`) as [string, string];
  let isPrimaryUp = true;

  async function on(url: string, sql: string): Promise<readonly Record<string, unknown>[]> {
    const client = new pg.Client({ connectionString: `${url}/postgres` });
    await client.connect();
    try {
      return (await client.query<Record<string, unknown>>(sql)).rows;
    } finally {
      await client.end();
    }
  }

  return {
    urlsOf: (name) => ({
      primary: `${first}/${name}`,
      replica: `${second}/${name}`,
      both: `postgres://tests@127.0.0.1:${ports[0]},127.0.0.1:${ports[1]}/${name}`,
    }),
    async newDatabase(name) {
      await newDatabase({ url: first, stop: () => Promise.resolve() }, name);
      const there = `SELECT 1 FROM pg_database WHERE datname = '${name}'`;
      while ((await on(second, there)).length === 0) await new Promise((resolve) => setTimeout(resolve, 50));
    },
    onReplica: (sql) => on(second, sql),
    async synchronous(isOn) {
      await on(first, `ALTER SYSTEM SET synchronous_standby_names = '${isOn ? 'replica' : ''}'`);
      await on(first, 'SELECT pg_reload_conf()');
    },
    async killPrimary() {
      isPrimaryUp = false;
      await primary.stop('SIGQUIT');
    },
    async promote() {
      await on(second, 'SELECT pg_promote(true)');
    },
    async stop() {
      if (isPrimaryUp) await primary.stop('SIGQUIT');
      await replica.stop('SIGQUIT');
      cluster.remove();
    },
  };
}
