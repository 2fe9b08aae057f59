/** The media types in which each kind of write takes its body. */
export const BODY_TYPES: Readonly<Record<ClientKind, readonly string[]>> = {
  create: ['application/json'],
  replace: ['application/json'],
  update: ['application/merge-patch+json', 'application/json', 'application/json-patch+json'],
};

/** The media type of a JSON Patch (RFC 6902). */
export const JSON_PATCH = 'application/json-patch+json';

/** The usual media type of a request with this method. */
export const usualType = (method: string): string => (method === 'PATCH' ? BODY_TYPES.update : BODY_TYPES.create)[0]!;

/** The kinds of write that a client may ask for. */
export type ClientKind = 'create' | 'replace' | 'update';
