import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { randomBytes } from 'node:crypto';
import { kindOfAddress } from '../core/model/service.ts';

/** A database that nobody needs any more once it is dropped. */
export interface Throwaway {
  readonly address: string;
  drop(): Promise<void>;
}

/** An empty database of the same kind as that at an address, which is left alone. Throws `StoreError`. */
export async function makeThrowaway(address: string): Promise<Throwaway> {
  const name = `vantfell_trial_${randomBytes(6).toString('hex')}`;
  switch (kindOfAddress(address)) {
    case 'postgres':
      return postgresThrowaway(address, name);
    case 'mariadb':
      return mariadbThrowaway(address, name);
    case 'sqlite': {
      const folder = mkdtempSync(join(tmpdir(), 'vantfell-trial-'));
      const drop = (): Promise<void> => Promise.resolve(rmSync(folder, { recursive: true, force: true }));
      return { address: `sqlite:${join(folder, 'trial.db')}`, drop };
    }
  }
}

async function postgresThrowaway(address: string, name: string): Promise<Throwaway> {
  const { administer } = await import('./postgres/administer.ts');
  const { withDatabase } = await import('./postgres/address.ts');
  const { primaryAddress } = await import('./postgres/hosts/fail-over.ts');
  const host = await primaryAddress(address);
  await administer(host, `CREATE DATABASE ${name}`);
  return {
    address: withDatabase(withoutOptions(host), name),
    drop: () => administer(host, `DROP DATABASE ${name} WITH (FORCE)`),
  };
}

/** Without what a session begins with: the schema that it works in is not in a new database. */
function withoutOptions(address: string): string {
  const url = new URL(address);
  url.searchParams.delete('options');
  return url.href;
}

async function mariadbThrowaway(address: string, name: string): Promise<Throwaway> {
  const { administer, DATABASE } = await import('./mariadb/administer.ts');
  const { withDatabase } = await import('./mariadb/address.ts');
  await administer(address, `CREATE DATABASE ${name} ${DATABASE}`);
  return { address: withDatabase(address, name), drop: () => administer(address, `DROP DATABASE ${name}`) };
}
