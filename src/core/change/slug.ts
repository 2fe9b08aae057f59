import { letters } from '../expression/letters.ts';
import type { Field } from '../model/field.ts';

const USUAL_LENGTH = 60;

/**
 * A URL-safe text of another: lower-case letters and digits, parted by hyphens. `n` is put behind it where it is above
 * 1.
 */
export function slugOf(text: string, field: Field, n = 1): string {
  const plain = letters
    .casei(letters.accenti(text))
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '');
  const behind = n === 1 ? '' : `-${n}`;
  const room = (field.rules.maxLength ?? USUAL_LENGTH) - behind.length;
  return (plain === '' ? 'untitled' : plain).slice(0, room).replace(/-+$/, '') + behind;
}
