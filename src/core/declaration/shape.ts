/**
 * What a declaration may look like, as plain data: the checker walks it, and whatever else needs to know the
 * language's words (the docs, an editor) reads it too.
 */
export type Shape =
  | { readonly kind: 'text'; readonly pattern?: RegExp; readonly hint?: string }
  | { readonly kind: 'word'; readonly of: readonly string[] }
  | { readonly kind: 'number'; readonly integer?: boolean; readonly least?: number }
  | { readonly kind: 'flag' }
  | { readonly kind: 'constant' }
  | { readonly kind: 'list'; readonly of: Shape; readonly least?: number }
  | { readonly kind: 'map'; readonly of: Shape; readonly names: RegExp; readonly hint: string }
  | { readonly kind: 'entries'; readonly entries: Entries; readonly what: string; readonly others?: Others }
  | { readonly kind: 'either'; readonly of: readonly Shape[]; readonly hint: string }
  /** A named shape, which may contain itself. */
  | { readonly kind: 'named'; readonly name: string; readonly of: () => Shape };

export interface Entry {
  readonly shape: Shape;
  readonly about: string;
  readonly required?: boolean;
}

/** Entries beside those with fixed names: the author of the declaration chooses what they are called. */
export interface Others {
  readonly shape: Shape;
  readonly names: RegExp;
  readonly about: string;
}

export type Entries = Readonly<Record<string, Entry>>;

export const text = (pattern?: RegExp, hint?: string): Shape => ({ kind: 'text', pattern, hint });
export const word = (...of: string[]): Shape => ({ kind: 'word', of });
export const flag: Shape = { kind: 'flag' };
export const number: Shape = { kind: 'number' };
export const count: Shape = { kind: 'number', integer: true, least: 0 };
export const constant: Shape = { kind: 'constant' };
export const list = (of: Shape, least = 0): Shape => ({ kind: 'list', of, least });
export const map = (of: Shape, names: RegExp, hint: string): Shape => ({ kind: 'map', of, names, hint });
export const entries = (what: string, of: Entries, others?: Others): Shape => ({
  kind: 'entries',
  entries: of,
  what,
  ...(others === undefined ? {} : { others }),
});
export const named = (name: string, of: () => Shape): Shape => ({ kind: 'named', name, of });
export const either = (hint: string, ...of: Shape[]): Shape => ({ kind: 'either', of, hint });
