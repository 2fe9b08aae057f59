import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { randomBytes } from 'node:crypto';

/** A database that nobody needs any more once it is dropped. */
export interface Throwaway {
  readonly address: string;
  drop(): Promise<void>;
}

/** An empty database of the same kind as that at an address, which is left alone. Throws `StoreError`. */
export async function makeThrowaway(address: string): Promise<Throwaway> {
  if (!/^postgres(ql)?:/.test(address)) {
    const folder = mkdtempSync(join(tmpdir(), 'vantfell-trial-'));
    const drop = (): Promise<void> => Promise.resolve(rmSync(folder, { recursive: true, force: true }));
    return { address: `sqlite:${join(folder, 'trial.db')}`, drop };
  }
  const { administer } = await import('./postgres/administer.ts');
  const { withDatabase } = await import('./postgres/address.ts');
  const { primaryAddress } = await import('./postgres/hosts/fail-over.ts');
  const host = await primaryAddress(address);
  const name = `vantfell_trial_${randomBytes(6).toString('hex')}`;
  await administer(host, `CREATE DATABASE ${name}`);
  return {
    address: withDatabase(host, name),
    drop: () => administer(host, `DROP DATABASE ${name} WITH (FORCE)`),
  };
}
