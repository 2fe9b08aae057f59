import { isRecord } from '../../text/value.ts';

// JSON Pointers (RFC 6901). A pointer addresses own members of objects and items of arrays, and nothing else: no member
// that all objects inherit, no length of an array, no letter of a text.

const FORM = /^(?:\/(?:[^~/]|~[01])*)*$/;
const INDEX = /^(?:0|[1-9]\d{0,9})$/;

/** No value is deeper than that. */
const MOST_TOKENS = 100;

/** The reference tokens of a pointer, the first hundred of them; undefined for a text that is none. */
export function readPointer(text: string): string[] | undefined {
  if (!FORM.test(text)) return undefined;
  return text
    .split('/', MOST_TOKENS + 1)
    .slice(1)
    .map((token) => token.replaceAll('~1', '/').replaceAll('~0', '~'));
}

/** The index that a token means in an array of this length; undefined where it is written otherwise, or lies beyond. */
export const indexOf = (token: string, length: number): number | undefined =>
  INDEX.test(token) && Number(token) < length ? Number(token) : undefined;

/** What a token addresses in a value; undefined where there is nothing, for no JSON value is. */
export function childOf(value: unknown, token: string): unknown {
  if (Array.isArray(value)) {
    const index = indexOf(token, value.length);
    return index === undefined ? undefined : (value as unknown[])[index];
  }
  return isRecord(value) && Object.hasOwn(value, token) ? value[token] : undefined;
}

/** What a pointer addresses in a value; undefined where there is nothing. */
export const valueAt = (value: unknown, tokens: readonly string[]): unknown => tokens.reduce(childOf, value);
