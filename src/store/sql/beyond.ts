import type { Field } from '../../core/model/field.ts';
import { valuesOfKey } from '../../core/model/joined-key.ts';
import type { FieldValue } from '../../core/model/scalar.ts';

/**
 * Whether a key is more than its column, which was there already, has room for: no record has it, and the database
 * would not even look. Other values are held to their rules.
 */
export function isBeyond({ origin, parts, stored }: Field, value: FieldValue): boolean {
  if (origin !== 'key' && origin !== 'relation') return false;
  if (parts !== undefined) {
    const values = valuesOfKey(parts, value as string);
    return parts.some((part, at) => isMore(part, values[at]!));
  }
  return isMore({ stored }, value);
}

function isMore({ stored }: Pick<Field, 'stored'>, value: FieldValue): boolean {
  if (stored === undefined) return false;
  const { most = Infinity, widest = Infinity } = stored;
  if (typeof value === 'number') return Math.abs(value) > most;
  return typeof value === 'string' && [...value].some((letter) => letter.codePointAt(0)! > widest);
}
