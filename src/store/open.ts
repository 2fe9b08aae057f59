import type { Store } from '../core/store/contract.ts';

/** Opens the store of an address such as `sqlite:/srv/huts.db`; the driver is loaded only now. */
export async function openStore(address: string): Promise<Store> {
  const file = /^sqlite:(.+)$/.exec(address)?.[1];
  if (file === undefined) throw new Error(`no store for ${address}`);
  const { openSqlite } = await import('./sqlite/open.ts');
  return openSqlite(file);
}
