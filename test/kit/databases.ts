import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll } from '@jest/globals';
import { storeKinds } from '../../src/core/model/service.ts';
import type { StoreKind } from '../../src/core/model/service.ts';
import { hasMariadb, newMariadb, sharedMariadb } from './mariadb.mjs';
import type { TestMariadb } from './mariadb.mjs';
import { newDatabase, startPostgres } from './postgres.mjs';
import type { TestPostgres } from './postgres.mjs';

/** The kinds of database that can be tried on this machine. */
export const kinds: readonly StoreKind[] = storeKinds.filter((kind) => kind !== 'mariadb' || hasMariadb);

/** Servers that start once they are needed. */
export interface Servers {
  /** The address of a new database. */
  database(kind: 'postgres' | 'mariadb', name: string): Promise<string>;
  stop(): Promise<void>;
}

export function openServers(): Servers {
  let postgres: Promise<TestPostgres> | undefined;
  let mariadb: Promise<TestMariadb> | undefined;
  return {
    async database(kind, name) {
      if (kind === 'postgres') return newDatabase(await (postgres ??= startPostgres()), name);
      return newMariadb(await (mariadb ??= Promise.resolve(sharedMariadb())), name);
    },
    async stop() {
      await Promise.all([postgres, mariadb].map(async (server) => (await server)?.stop()));
    },
  };
}

/** Gives addresses of new databases of all kinds, to the tests of one file; all of them go at its end. */
export function testDatabases(): (kind: StoreKind, name: string) => Promise<string> {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-databases-'));
  const servers = openServers();
  afterAll(async () => {
    await servers.stop();
    rmSync(folder, { recursive: true });
  });
  return async (kind, name) =>
    kind === 'sqlite' ? `sqlite:${join(folder, `${name}.db`)}` : servers.database(kind, name);
}

/** The same, of all but SQLite, of which a service that is tried makes a file of its own. */
export function serverDatabases(): (kind: StoreKind, name: string) => Promise<string | undefined> {
  const servers = openServers();
  afterAll(() => servers.stop());
  return async (kind, name) => (kind === 'sqlite' ? undefined : servers.database(kind, name));
}
