import type { Request } from '../../api/message.ts';

export type Preference = 'minimal' | 'representation';

/** What the header Prefer says of the answer to a write (RFC 7240, 4.2): the first of its preferences counts. */
export function preferredReturn({ headers: { prefer } }: Request): Preference | undefined {
  if (prefer === undefined) return undefined;
  const found = /(?:^|[,;])\s*return\s*=\s*"?(minimal|representation)"?\s*(?=$|[,;])/i.exec(String(prefer))?.[1];
  return found?.toLowerCase() as Preference | undefined;
}

/** Tells that a preference was kept to. */
export const applied = (preference: Preference): Record<string, string> => ({
  'preference-applied': `return=${preference}`,
});
