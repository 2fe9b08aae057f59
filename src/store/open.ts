import { kindOfAddress } from '../core/model/service.ts';
import type { Store } from '../core/store/contract.ts';
import type { StoreOptions } from './base/options.ts';

/**
 * Opens the store of an address such as `sqlite:/srv/huts.db` or `postgres://user@host/huts`; the driver is loaded
 * only now.
 */
export async function openStore(address: string, options: StoreOptions = {}): Promise<Store> {
  switch (kindOfAddress(address)) {
    case 'postgres':
      return (await import('./postgres/open.ts')).openPostgres(address, options);
    case 'mariadb':
      return (await import('./mariadb/open.ts')).openMariadb(address, options);
    case 'sqlite': {
      const file = /^sqlite:(.+)$/.exec(address)?.[1];
      if (file === undefined) throw new Error(`no store for ${address}`);
      return (await import('./sqlite/open.ts')).openSqlite(file, options);
    }
  }
}
