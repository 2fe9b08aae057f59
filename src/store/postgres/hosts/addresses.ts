/** The addresses of the hosts of an address that names several: `postgres://user@a:5432,b:5433/name`. */
export function hostAddresses(address: string): readonly string[] {
  const [, before = '', hosts = '', after = ''] = /^([a-z]+:\/\/(?:[^@/?#]*@)?)([^/?#]*)(.*)$/s.exec(address) ?? [];
  if (!hosts.includes(',')) return [address];
  return hosts.split(',').map((host) => before + host + after);
}
