import type { Field } from '../model/field.ts';

const USUAL_LENGTH = 60;
const OTHERS = /[^\0-\x7f]/;

/** The text that slugs are made of: letters of other scripts are transliterated. */
export async function slugSource(text: string): Promise<string> {
  // The table of all scripts is large, and most services never need it.
  const ascii = OTHERS.test(text) ? (await import('any-ascii')).default(text) : text;
  return ascii
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '');
}

/** A slug no longer than its field may be, with `n` at its end where that is above 1. */
export function slugOf(source: string, field: Field, n = 1): string {
  const suffix = n === 1 ? '' : `-${n}`;
  const room = (field.rules.maxLength ?? USUAL_LENGTH) - suffix.length;
  return (source === '' ? 'untitled' : source).slice(0, room).replace(/-+$/, '') + suffix;
}
