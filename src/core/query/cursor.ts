import { createHmac, createSecretKey, timingSafeEqual } from 'node:crypto';
import type { FieldValue } from '../model/scalar.ts';

/** Signs and reads the positions in a list that clients hold. */
export interface Cursors {
  /** `binding` is what the position belongs to: the list's path, filters and order. */
  write(binding: string, position: readonly FieldValue[]): string;
  /** Undefined where the text is not a cursor of this service for this binding. */
  read(binding: string, text: string): FieldValue[] | undefined;
}

/** 128 bits, as base64url. */
const MAC_LENGTH = 22;

/**
 * Cursors signed with a key derived from the service's first, and read with all: so its instances read each other's.
 */
export function makeCursors(serviceKeys: readonly string[]): Cursors {
  const keys = serviceKeys.map((one) => createSecretKey(createHmac('sha256', one).update('vantfell cursors').digest()));
  // Text in and text out: buffers would double the cost of the digest, in every list.
  const sign = (binding: string, payload: string, key = keys[0]!): string =>
    createHmac('sha256', key).update(`${binding}\0${payload}`).digest('base64url').slice(0, MAC_LENGTH);

  return {
    write(binding, position) {
      const payload = JSON.stringify(position);
      return sign(binding, payload) + Buffer.from(payload).toString('base64url');
    },
    read(binding, text) {
      const payload = Buffer.from(text.slice(MAC_LENGTH), 'base64url').toString();
      // A cursor has only one spelling: decoding ignores wrong characters.
      if (Buffer.from(payload).toString('base64url') !== text.slice(MAC_LENGTH)) return undefined;
      const given = Buffer.from(text.slice(0, MAC_LENGTH));
      const isOurs = keys.some((key) => {
        const wanted = Buffer.from(sign(binding, payload, key));
        return given.length === wanted.length && timingSafeEqual(given, wanted);
      });
      return isOurs ? (JSON.parse(payload) as FieldValue[]) : undefined;
    },
  };
}
