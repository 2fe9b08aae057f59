import type { Store } from '../core/store/contract.ts';
import type { StoreOptions } from './base/options.ts';

/**
 * Opens the store of an address such as `sqlite:/srv/huts.db` or `postgres://user@host/huts`; the driver is loaded
 * only now.
 */
export async function openStore(address: string, options: StoreOptions = {}): Promise<Store> {
  if (/^postgres(ql)?:/.test(address)) {
    const { openPostgres } = await import('./postgres/open.ts');
    return openPostgres(address, options);
  }
  const file = /^sqlite:(.+)$/.exec(address)?.[1];
  if (file === undefined) throw new Error(`no store for ${address}`);
  const { openSqlite } = await import('./sqlite/open.ts');
  return openSqlite(file, options);
}
