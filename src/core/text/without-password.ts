/** An address for people: without its password. */
export function withoutPassword(address: string): string {
  const url = new URL(address);
  url.password = '';
  return url.href;
}
