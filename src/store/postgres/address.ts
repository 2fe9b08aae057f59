import { StoreError } from '../../core/store/contract.ts';
import { withoutPassword } from '../../core/text/without-password.ts';

/** An address as the driver takes it, and what stands before the server. */
export interface Address {
  readonly plain: string;
  /**
   * A pooler that gives each transaction another connection: nothing can be set for a connection, and nothing prepared
   * on it.
   */
  readonly isPooled: boolean;
}

/** Takes `pooler=transaction` out of the query of an address. Throws `StoreError` for another pooler. */
export function readAddress(address: string): Address {
  const url = new URL(address);
  const pooler = url.searchParams.get('pooler');
  if (pooler === null) return { plain: address, isPooled: false };
  if (pooler !== 'transaction') {
    const message = `the database ${withoutPassword(address)} can not be used: there is no pooler ${pooler}`;
    throw new StoreError({ kind: 'unreachable' }, message, 'write ?pooler=transaction, or leave it out');
  }
  url.searchParams.delete('pooler');
  return { plain: url.href, isPooled: true };
}

/** The addresses of the hosts of an address that names several: `postgres://user@a:5432,b:5433/name`. */
export function hostAddresses(address: string): readonly string[] {
  const [, before = '', hosts = '', after = ''] = /^([a-z]+:\/\/(?:[^@/?#]*@)?)([^/?#]*)(.*)$/s.exec(address) ?? [];
  if (!hosts.includes(',')) return [address];
  return hosts.split(',').map((host) => before + host + after);
}

/** The same address of another database. */
export const withDatabase = (address: string, name: string): string =>
  address.replace(/^([a-z]+:\/\/[^/?#]*)(?:\/[^?#]*)?/, `$1/${name}`);
