import { createHmac, timingSafeEqual } from 'node:crypto';
import type { FieldValue } from '../model/graph.ts';

/** Signs and reads the positions in a list that clients hold. */
export interface Cursors {
  /** `binding` is whatever the position is good for: the list's path, its filters and its order. */
  write(binding: string, position: readonly FieldValue[]): string;
  /** Undefined where the text is not a cursor of this service for this binding. */
  read(binding: string, text: string): FieldValue[] | undefined;
}

const MAC_BYTES = 16;

/** Cursors signed with a key derived from the service's own, so that all its instances read each other's. */
export function makeCursors(serviceKey: string): Cursors {
  const key = createHmac('sha256', serviceKey).update('vantfell cursors').digest();
  const sign = (binding: string, payload: Buffer): Buffer =>
    createHmac('sha256', key).update(binding).update('\0').update(payload).digest().subarray(0, MAC_BYTES);

  return {
    write(binding, position) {
      const payload = Buffer.from(JSON.stringify(position));
      return Buffer.concat([sign(binding, payload), payload]).toString('base64url');
    },
    read(binding, text) {
      const bytes = Buffer.from(text, 'base64url');
      if (bytes.length <= MAC_BYTES || bytes.toString('base64url') !== text) return undefined;
      const payload = bytes.subarray(MAC_BYTES);
      if (!timingSafeEqual(bytes.subarray(0, MAC_BYTES), sign(binding, payload))) return undefined;
      return JSON.parse(payload.toString()) as FieldValue[];
    },
  };
}
