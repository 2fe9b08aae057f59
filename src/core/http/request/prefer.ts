import type { Request } from '../../api/message.ts';

export type Preference = 'minimal' | 'representation';

/** The preference for the answer to a write in the header Prefer (RFC 7240, 4.2): the first one counts. */
export function preferredReturn({ headers: { prefer } }: Request): Preference | undefined {
  if (prefer === undefined) return undefined;
  const found = /(?:^|[,;])\s*return\s*=\s*"?(minimal|representation)"?\s*(?=$|[,;])/i.exec(String(prefer))?.[1];
  return found?.toLowerCase() as Preference | undefined;
}

/** The header for an applied preference. */
export const applied = (preference: Preference): Record<string, string> => ({
  'preference-applied': `return=${preference}`,
});
