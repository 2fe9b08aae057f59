import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll } from '@jest/globals';
import { newDatabase, startPostgres } from './postgres.mjs';
import type { TestPostgres } from './postgres.mjs';

/** Gives addresses of new databases of both kinds, to the tests of one file; all of them go at its end. */
export function testDatabases(): (kind: string, name: string) => Promise<string> {
  const folder = mkdtempSync(join(tmpdir(), 'vantfell-databases-'));
  let server: TestPostgres;
  beforeAll(async () => {
    server = await startPostgres();
  });
  afterAll(async () => {
    await server.stop();
    rmSync(folder, { recursive: true });
  });
  return (kind, name) =>
    kind === 'sqlite' ? Promise.resolve(`sqlite:${join(folder, `${name}.db`)}`) : newDatabase(server, name);
}
