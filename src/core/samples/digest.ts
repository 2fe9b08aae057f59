import { createHash } from 'node:crypto';
import { hashSecret, SALT_LENGTH } from '../identity/secret.ts';
import type { Values } from '../rules/schema.ts';
import { nameOf } from './order.ts';
import type { SampleRow } from './read.ts';

const digest = (of: string): Buffer => createHash('sha256').update(of).digest();

/**
 * By this a row is known to be unchanged. Where it holds a secret, the digest is as slow to guess from as the secret's
 * own.
 */
export function digestOf(row: SampleRow, values: Values, cost?: number): Promise<string> | string {
  const text = JSON.stringify(values);
  const hasSecret = row.model.fields.some(({ type, member }) => type === 'secret' && Object.hasOwn(values, member));
  return hasSecret
    ? hashSecret(text, digest(nameOf(row)).subarray(0, SALT_LENGTH), cost)
    : digest(text).toString('base64url');
}
