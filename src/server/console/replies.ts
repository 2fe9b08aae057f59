import { randomBytes } from 'node:crypto';
import type { Reply } from '../../core/api/message.ts';

/** What nobody can guess. */
export const secret = (): string => randomBytes(24).toString('base64url');

/** Nothing is loaded from elsewhere, nothing is framed, and no form leaves the page. */
const policy = (styles: string, forms: string): string =>
  `default-src 'none'; script-src 'self'; style-src ${styles}; img-src 'self' data:; connect-src 'self'; ` +
  `base-uri 'none'; form-action ${forms}; frame-ancestors 'none'`;

export const HEADERS = {
  'cache-control': 'no-store',
  'content-security-policy': policy("'self'", "'none'"),
  'cross-origin-opener-policy': 'same-origin',
  'cross-origin-resource-policy': 'same-origin',
  'referrer-policy': 'no-referrer',
  'x-content-type-options': 'nosniff',
};

/** A page whose own styles are let in by a word that nobody can know before. */
export function html(status: number, text: (nonce: string) => string, forms: "'none'" | "'self'" = "'none'"): Reply {
  const nonce = secret();
  const headers = {
    ...HEADERS,
    'content-security-policy': policy(`'self' 'nonce-${nonce}'`, forms),
    'content-type': 'text/html; charset=utf-8',
    // With less, browsers send forms of the page as if they came from nowhere.
    ...(forms === "'self'" && { 'referrer-policy': 'same-origin' }),
  };
  return { status, headers, body: text(nonce) };
}

export const json = (status: number, value: unknown): Reply => ({
  status,
  headers: { ...HEADERS, 'content-type': 'application/json' },
  body: JSON.stringify(value),
});

export const plain = (status: number, text: string, more: Record<string, string> = {}): Reply => ({
  status,
  headers: { ...HEADERS, ...more, 'content-type': 'text/plain; charset=utf-8' },
  body: `${text}\n`,
});
