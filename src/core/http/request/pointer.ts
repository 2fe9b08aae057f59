import { stepFrom } from '../../api/failure.ts';
import { isRecord } from '../../text/value.ts';

// JSON Pointers (RFC 6901). A pointer addresses own members of objects and items of arrays, and nothing else: no member
// that all objects inherit, no length of an array, no letter of a text.

const FORM = /^(?:\/(?:[^~/]|~[01])*)*$/;
const INDEX = /^(?:0|[1-9]\d{0,9})$/;

/** Values are never deeper. */
const MOST_TOKENS = 100;

/** The first hundred reference tokens of a pointer; undefined if the text is not a pointer. */
export function readPointer(text: string): string[] | undefined {
  if (!FORM.test(text)) return undefined;
  return text
    .split('/', MOST_TOKENS + 1)
    .slice(1)
    .map(stepFrom);
}

/** The array index of a token; undefined if it is not a valid index, or is out of range. */
export const indexOf = (token: string, length: number): number | undefined =>
  INDEX.test(token) && Number(token) < length ? Number(token) : undefined;

/** The value that a token addresses; undefined if there is none, because no JSON value is undefined. */
export function childOf(value: unknown, token: string): unknown {
  if (Array.isArray(value)) {
    const index = indexOf(token, value.length);
    return index === undefined ? undefined : (value as unknown[])[index];
  }
  return isRecord(value) && Object.hasOwn(value, token) ? value[token] : undefined;
}

/** What a pointer addresses in a value; undefined where there is nothing. */
export const valueAt = (value: unknown, tokens: readonly string[]): unknown => tokens.reduce(childOf, value);
