/** An address for people: without its password. */
export function withoutPassword(address: string): string {
  // Of several hosts with ports, the trade's addresses are no URLs.
  if (!URL.canParse(address)) return address.replace(/^([a-z]+:\/\/[^:@/?#]*):[^@/?#]*@/, '$1@');
  const url = new URL(address);
  url.password = '';
  return url.href;
}
